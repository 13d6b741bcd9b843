keblin::schema!(otter);

fn main() {}
