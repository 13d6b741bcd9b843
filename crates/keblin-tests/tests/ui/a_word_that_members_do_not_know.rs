keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
struct Otter {
    #[carry(named = oil)]
    fuel: i32,
}

fn main() {}
