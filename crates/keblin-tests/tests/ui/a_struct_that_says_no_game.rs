keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
struct Otter {
    oil: i32,
}

fn main() {}
