//! The drawing of what opens what, as inline SVG: one picture for each part of the game.

use keblin::Schema;
use maud::{Markup, html};
use textwrap::core::display_width;

use super::graph::{Part, Thing, also_asks, parts, rule, title};
use super::layout::{Arrow, Spot, laid_out};
use super::states::{State, States};
use super::words::{anchor, safe};

/// The most characters in a line of a box.
const MAX_CHARACTERS: usize = 26;

/// How wide a column of a text is at the most, how high a line is, and the room around the lines, in pixels.
const CHARACTER: f64 = 7.4;
const LINE: f64 = 17.0;
const ROOM: Spot = (24.0, 16.0);

/// A level or an unlock as a box.
struct Sign {
    thing: Thing,
    lines: Vec<String>,
    size: Spot,
    /// Whether it is drawn only because a rule of another part names it.
    is_elsewhere: bool,
}

/// Draws what opens what: in the declaration, or for a player.
pub(super) fn graph(schema: &Schema, states: Option<&States>) -> Markup {
    html! {
        div.parts {
            @for part in parts(schema) {
                figure.part {
                    figcaption {
                        strong { (safe(&part.title)) }
                        @let chapter = part.chapter.and_then(|at| schema.chapters.get(at));
                        @if let Some(rule) = chapter.and_then(|chapter| chapter.unlock.as_ref()) {
                            " opens if " code { (safe(rule.program.source())) }
                        }
                    }
                    div.wide tabindex="0" role="region" aria-label={ "What opens what: " (safe(&part.title)) } {
                        (picture(schema, &part, states))
                    }
                }
            }
        }
    }
}

fn picture(schema: &Schema, part: &Part, states: Option<&States>) -> Markup {
    let own = part.things.iter().map(|thing| (*thing, false));
    let elsewhere = part.from_elsewhere.iter().map(|thing| (*thing, true));
    let state = |thing| states.and_then(|states| states.of(thing));
    let signs: Vec<Sign> = own
        .chain(elsewhere)
        .map(|(thing, is_elsewhere)| Sign::new(schema, thing, is_elsewhere, state(thing)))
        .collect();
    let at = |thing: Thing| signs.iter().position(|sign| sign.thing == thing);
    let arrows: Vec<Arrow> =
        part.arrows.iter().filter_map(|(from, to)| Some((at(*from)?, at(*to)?))).collect();
    let sizes: Vec<Spot> = signs.iter().map(|sign| sign.size).collect();
    let drawing = laid_out(&sizes, &arrows);
    let halves = |(from, to): Arrow| [from, to].map(|end| sizes.get(end).map_or(0.0, |size| size.1 / 2.0));
    let [width, height] = [drawing.size.0, drawing.size.1].map(|side| px(side + 8.0));
    let texts: Vec<String> = part.arrows.iter().map(|(from, to)| asks_for(schema, *from, *to)).collect();
    html! {
        svg.graph xmlns="http://www.w3.org/2000/svg" role="group" width=(width) height=(height)
            viewBox={ "-4 -4 " (width) " " (height) } {
            desc { (texts.join("; ")) }
            @for (arrow, way) in &drawing.arrows {
                path.arrow d=(path(way, halves(*arrow))) marker-end="url(#tip)" {}
            }
            @for (sign, place) in signs.iter().zip(&drawing.boxes) {
                (sign.drawn(schema, *place, state(sign.thing)))
            }
        }
    }
}

fn asks_for(schema: &Schema, from: Thing, to: Thing) -> String {
    format!("{} asks for {}", safe(title(schema, to)), safe(title(schema, from)))
}

impl Sign {
    fn new(schema: &Schema, thing: Thing, is_elsewhere: bool, state: Option<&State>) -> Sign {
        let mark = state.map_or(String::new(), |state| format!("{} ", state.mark()));
        let kind = if matches!(thing, Thing::Unlock(_)) { "unlock: " } else { "" };
        let mut lines = vec![format!("{mark}{kind}{}", safe(title(schema, thing)))];
        let also = rule(schema, thing).filter(|_| !is_elsewhere).map(also_asks).unwrap_or_default();
        lines.extend(also.iter().map(safe));
        lines.extend(state.and_then(State::stars).filter(|_| !is_elsewhere));
        let lines: Vec<String> = lines.into_iter().map(shortened).collect();
        let longest = lines.iter().map(|line| display_width(line)).max().unwrap_or(0);
        let size = (count(longest) * CHARACTER + ROOM.0, count(lines.len()) * LINE + ROOM.1);
        Sign { thing, lines, size, is_elsewhere }
    }

    fn drawn(&self, schema: &Schema, (x, y): Spot, state: Option<&State>) -> Markup {
        let (x, y) = (x - self.size.0 / 2.0, y - self.size.1 / 2.0);
        let round = if matches!(self.thing, Thing::Unlock(_)) { "16" } else { "4" };
        let class = match (self.is_elsewhere, state) {
            (true, _) => "elsewhere",
            (false, Some(state)) => state.class(),
            (false, None) => "plain",
        };
        let rule = rule(schema, self.thing).map(|rule| safe(rule.program.source()));
        html! {
            a href={ "#" (anchor(schema, self.thing)) } class=(class) {
                title {
                    (safe(title(schema, self.thing)))
                    @if let Some(state) = state { ": " (state.text()) }
                    @if let Some(rule) = rule { ". Opens if " (rule) }
                }
                rect x=(px(x)) y=(px(y)) width=(px(self.size.0)) height=(px(self.size.1)) rx=(round) {}
                @for (index, line) in self.lines.iter().enumerate() {
                    @let top = y + ROOM.1 / 2.0 + count(index) * LINE + 12.5;
                    text.name[index == 0] x=(px(x + self.size.0 / 2.0)) y=(px(top)) { (line) }
                }
            }
        }
    }
}

/// Returns a line that fits in a box.
fn shortened(line: String) -> String {
    match line.char_indices().nth(MAX_CHARACTERS) {
        Some((end, _)) => format!("{}…", line.get(..end).unwrap_or_default().trim_end()),
        None => line,
    }
}

fn count(of: usize) -> f64 {
    f64::from(u32::try_from(of).unwrap_or(u32::MAX))
}

/// Pixels, to a tenth.
fn px(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").unwrap_or(&text).to_string()
}

/// A curve as SVG writes it: from the lower side of the first box, through the middles of those it passes, to the upper
/// side of the last one. It leaves and reaches each downwards.
fn path(way: &[Spot], [half_first, half_last]: [f64; 2]) -> String {
    let mut way = way.to_vec();
    way.first_mut().into_iter().for_each(|start| start.1 += half_first);
    way.last_mut().into_iter().for_each(|end| end.1 -= half_last);
    let start = way.first().map_or(String::new(), |(x, y)| format!("M{} {}", px(*x), px(*y)));
    let steps = way.iter().zip(way.iter().skip(1));
    steps.fold(start, |path, ((from, top), (to, bottom))| {
        let middle = px((top + bottom) / 2.0);
        format!("{path}C{} {middle} {} {middle} {} {}", px(*from), px(*to), px(*to), px(*bottom))
    })
}
