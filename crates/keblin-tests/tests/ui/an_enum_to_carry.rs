keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
enum Otter {
    Swims,
}

fn main() {}
