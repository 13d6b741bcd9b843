keblin::schema!(otter, "gap/progress.toml");

fn main() {}
