use keblin::progress::Holder;

keblin::schema!(otter, "otter.toml");

// Works with a progress and with a keeper, so it can neither end a frame nor take the due mark.
fn help(game: &mut otter::Play<impl Holder>) {
    game.tick(std::time::Duration::from_millis(16));
    game.take_due();
}

fn main() {
    help(&mut otter::Progress::new());
}
