//! Programs, as the bytes of a declaration.

use super::{enums, listed, structs};
use crate::program::{Arithmetic, Comparison, Fact, Failing, Load, On, Op, Program, Read, Type, Word};

listed!(Fact);

structs! {
    Program {
        source, root, ops, texts, lists, sums, wholes, spans, difficulties, reads, bool_cells, can_fail, asks_in_question,
    }
}

enums! {
    Word { 0 Phase, 1 Level, 2 Checkpoint, 3 Furthest, 4 Difficulty }
    On { 0 InQuestion, 1 One(difficulty), 2 Any, 3 All }
    Type {
        0 Float, 1 List(of), 2 Items(of), 3 Whole(kind), 4 Bool, 5 Int, 6 Time, 7 Date, 8 Instant, 9 Text, 10 Null,
    }
    Comparison { 0 Equal, 1 NotEqual, 2 Less, 3 LessOrEqual, 4 Greater, 5 GreaterOrEqual }
    Arithmetic { 0 Add, 1 Subtract, 2 Multiply, 3 Divide, 4 Remainder }
    Failing { 0 Unset, 1 Zero }
    Read { 0 Cells(cells), 1 Fact { fact, level }, 2 Unlocked(unlock), 3 Word(word), 4 Played }
    Load {
        0 Cell(cell), 1 CellOn { first, apart }, 2 Fact { index, fact }, 3 FactOn { first, fact },
        4 FactAny { first, fact }, 5 Total { on, fact, start, len }, 6 Unlocked(unlock), 7 Word(word), 8 Played,
    }
    Op {
        0 Null, 1 Bool(yes), 2 Int(number), 3 Float(number), 4 Text(text), 5 List(list), 6 Load(load),
        7 Member(a, b), 8 Entry(a, b), 9 Tally(a, b), 10 Not(a), 11 Negate(a), 12 Both(a, b), 13 Either(a, b),
        14 All(a, b), 15 Any(a, b), 16 Choose(a, b, c), 17 Compare(how, a, b), 18 CellWithin(a, min, max),
        19 Within(a, min, max), 20 Sum(a, b), 21 SumWithin(a, b, min, max), 22 Arithmetic(how, a, b),
        23 Least(a, b), 24 Greatest(a, b), 25 CompareFloats(how, a, b), 26 NegateFloat(a), 27 Floats(how, a, b),
        28 LeastFloat(a, b), 29 GreatestFloat(a, b), 30 Size(a), 31 Has(a, b), 32 In(a, b, c),
    }
}
