//! What is in the fens: gates, beds of reeds, and lamps on the water. They stay as the player left them.

use keblin::{ObjectId, Time, WorldObject};

use crate::fen_post;

/// How many routes there are, and in how many of them reeds grow: those of the western fen.
pub(crate) const ROUTES: usize = 7;
const WESTERN: usize = 3;

/// How many objects of a kind a route can have.
const A_ROUTE: u32 = 10;

/// A sluice gate across a route.
#[derive(Clone, Debug, WorldObject)]
#[world(fen_post::kinds::gate)]
pub(crate) struct Gate {
    #[world(id)]
    pub(crate) id: ObjectId,
    pub(crate) opened: f64,
    pub(crate) speed: f64,
}

/// A bed of reeds across a route, until it is cut.
#[derive(Clone, Debug, WorldObject)]
#[world(fen_post::kinds::reed_bed)]
pub(crate) struct ReedBed {
    #[world(id)]
    pub(crate) id: ObjectId,
}

/// A lamp on the water, with oil for whoever takes it.
#[derive(Clone, Debug, WorldObject)]
#[world(fen_post::kinds::lamp)]
pub(crate) struct Lamp {
    #[world(id)]
    pub(crate) id: ObjectId,
    pub(crate) left: Time,
}

/// What is in an area.
#[derive(Clone, Debug, Default)]
pub(crate) struct Things {
    pub(crate) gates: Vec<Gate>,
    pub(crate) beds: Vec<ReedBed>,
    pub(crate) lamps: Vec<Lamp>,
}

/// Returns the id of a route's object.
pub(crate) fn id_of(route: usize, number: u32) -> ObjectId {
    ObjectId::authored(u32::try_from(route).unwrap_or(0) * A_ROUTE + number)
}

impl Things {
    /// Returns what an area has before anybody was there.
    pub(crate) fn of_area(is_east: bool) -> Things {
        let routes = if is_east { WESTERN..ROUTES } else { 0..WESTERN };
        let mut things = Things::default();
        for route in routes {
            for number in 0..2 {
                let id = id_of(route, number);
                match is_east {
                    true => things.gates.push(Gate { id, opened: 0.0, speed: 0.0 }),
                    false => things.beds.push(ReedBed { id }),
                }
            }
            things.lamps.push(Lamp { id: id_of(route, 0), left: Time::from_millis(60_000) });
        }
        things
    }
}
