keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
struct Otter {
    oil: i32,
    fur: i32,
}

fn main() {}
