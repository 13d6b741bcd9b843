keblin::schema!(otter, "otter.toml");

// Ends the frame of a progress: for a keeper this would save nothing.
fn frame(game: &mut otter::Progress) {
    game.tick(std::time::Duration::from_millis(16));
}

fn main() {
    let mut game = otter::Keeper::from_bytes(None).unwrap();
    frame(&mut game);
}
