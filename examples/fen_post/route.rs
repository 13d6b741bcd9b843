//! A route: banks, water, moorings, letters, whirlpools, and a punt. Every route is made from its number, so that it is
//! always the same; what the player changed in it is in the progress and in the things of its area.

/// How wide and high a route is, in cells.
pub(crate) const WIDTH: i32 = 64;
pub(crate) const HEIGHT: i32 = 13;

/// How far the water reaches from the middle of the stream.
const REACH: i32 = 2;

/// A cell: columns from the left, rows from the top.
pub(crate) type Cell = (i32, i32);

/// A route as it is made.
#[derive(Clone, Debug)]
pub(crate) struct Route {
    pub(crate) number: usize,
    /// The moorings, in the order of the checkpoints.
    pub(crate) moorings: Vec<Cell>,
    /// Where letters lie; each has its place in the list as its number.
    pub(crate) letters: Vec<Cell>,
    /// The columns of two beds of reeds, or of two gates.
    pub(crate) barriers: [i32; 2],
    /// Where a lamp floats.
    pub(crate) lamp: Cell,
    whirls: Vec<Cell>,
    /// Whether the whirlpools drift: at spring tide.
    drifts: bool,
    pub(crate) punt: Cell,
    /// Whether the player fell in since the route was entered.
    pub(crate) fell: bool,
    /// Moves since oil was burnt.
    moves: u32,
}

impl Route {
    pub(crate) fn new(number: usize, moorings: usize, drifts: bool) -> Route {
        let start = (1, middle(number, 1));
        let (moorings, number_i32) =
            (i32::try_from(moorings).unwrap_or(1), i32::try_from(number).unwrap_or(0));
        let mooring = |place: i32| {
            let column = (place + 1) * WIDTH / (moorings + 1);
            (column, middle(number, column) - REACH)
        };
        let letter = |place: i32| {
            let column = 6 + place * 12 + number_i32 % 4;
            (column, middle(number, column) + in_turn(&[-1, 2, 0, -2, 1], place))
        };
        let (moorings, letters) = ((0..moorings).map(mooring), (0..5).map(letter));
        let (moorings, letters): (Vec<Cell>, Vec<Cell>) = (moorings.collect(), letters.collect());
        let (barriers, lamp) = ([25, 51], (38, middle(number, 38) + 1));
        let taken: Vec<i32> =
            moorings.iter().chain(&letters).chain([&lamp]).map(|cell| cell.0).chain(barriers).collect();
        let whirl = |place: i32| {
            // No whirlpool is where the player has to be.
            let mut columns = 12 + place * (18 - number_i32)..;
            let column = columns.find(|column| !taken.contains(column)).unwrap_or(0);
            (column, middle(number, column) + place % 2)
        };
        Route {
            number,
            barriers,
            lamp,
            whirls: (0..3 + number_i32 / 3).map(whirl).collect(),
            moorings,
            letters,
            drifts,
            punt: start,
            fell: false,
            moves: 0,
        }
    }

    pub(crate) fn is_water(&self, (column, row): Cell) -> bool {
        (0..WIDTH).contains(&column) && (row - middle(self.number, column)).abs() <= REACH
    }

    /// Returns where the whirlpools are after a time on the route, in milliseconds.
    pub(crate) fn whirls(&self, millis: i64) -> impl Iterator<Item = Cell> {
        let halves = i32::try_from(millis / 500 % 4).unwrap_or(0);
        let drift = if self.drifts { in_turn(&[0, 1, 0, -1], halves) } else { 0 };
        self.whirls.iter().map(move |(column, row)| (*column, row + drift))
    }

    /// Puts the punt at a mooring, or at the start.
    pub(crate) fn put(&mut self, mooring: Option<usize>) {
        let at = mooring.and_then(|at| self.moorings.get(at)).copied();
        self.punt = at.unwrap_or((1, middle(self.number, 1)));
    }

    /// Moves the punt to a cell; returns whether a move burns oil.
    pub(crate) fn row_to(&mut self, to: Cell) -> bool {
        self.punt = to;
        self.moves += 1;
        self.moves.is_multiple_of(6)
    }

    /// Returns the number of the letter in the punt's cell.
    pub(crate) fn letter_here(&self) -> Option<usize> {
        self.letters.iter().position(|letter| *letter == self.punt)
    }

    /// Returns the mooring that the punt is at.
    pub(crate) fn mooring_here(&self) -> Option<usize> {
        self.moorings.iter().position(|mooring| *mooring == self.punt)
    }

    pub(crate) fn is_at_the_quay(&self) -> bool {
        self.punt.0 == WIDTH - 1
    }
}

/// The middle of the stream in a column: it winds, in every route differently.
fn middle(route: usize, column: i32) -> i32 {
    const BENDS: [i32; 16] = [0, 0, 1, 1, 2, 2, 2, 1, 0, -1, -1, -2, -3, -2, -1, 0];
    HEIGHT / 2 + in_turn(&BENDS, column / 3 + 3 * i32::try_from(route).unwrap_or(0))
}

/// Returns the number at a place of a list that begins again at its end.
fn in_turn(numbers: &[i32], place: i32) -> i32 {
    let place = usize::try_from(place).unwrap_or(0);
    numbers.iter().cycle().nth(place % numbers.len().max(1)).copied().unwrap_or(0)
}
