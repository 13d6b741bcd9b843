keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
struct Otter {
    best_time: keblin::Time,
}

fn main() {}
