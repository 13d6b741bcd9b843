use keblin::progress::Holder;

keblin::schema!(otter, "otter.toml");

// Serves whatever has the game, so it can neither end a frame nor take the mark of what is to be saved.
fn help(game: &mut otter::Play<impl Holder>) {
    game.tick(std::time::Duration::from_millis(16));
    game.take_due();
}

fn main() {
    help(&mut otter::Progress::new());
}
