keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
struct Otter {
    oil: String,
}

fn main() {}
