keblin::schema!(otter, "otter.toml");

#[derive(keblin::Carry)]
#[carry(otter)]
struct Otter(i32);

fn main() {}
