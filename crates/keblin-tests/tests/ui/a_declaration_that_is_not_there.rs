keblin::schema!(otter, "oter.toml");

fn main() {}
