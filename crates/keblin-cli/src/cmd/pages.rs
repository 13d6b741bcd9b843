//! What the finding codes mean: what is found, why it matters, and an example, wrong and right.

use keblin::Code;

/// The page of a code.
pub(crate) struct Page {
    /// What is found, in half a sentence.
    pub(crate) what: &'static str,
    /// Why it matters.
    pub(crate) why: &'static str,
    /// An example with the mistake.
    pub(crate) wrong: &'static str,
    /// The same example, corrected.
    pub(crate) right: &'static str,
}

/// The page of a code.
pub(crate) fn page(code: Code) -> Page {
    let (what, why, wrong, right) = match code {
        Code::Syntax => (
            "the text is not TOML",
            "Nothing after the mistake can be trusted, so missing names are not reported until it is fixed.",
            "game = \"fen_post",
            "game = \"fen_post\"",
        ),
        Code::UnknownKey => (
            "a key that cannot be used here",
            "Otherwise a misspelt key would be a rule that is silently ignored.",
            "[fields.oil]\ndefualt = 60",
            "[fields.oil]\ndefault = 60",
        ),
        Code::MissingKey => (
            "a required key is missing",
            "Without it the meaning is not clear, and a wrong guess would lose somebody's progress.",
            "[fields.oil]\ntype = \"int\"",
            "[fields.oil]\ntype = \"int\"\nscope = \"run\"",
        ),
        Code::WrongType => (
            "a value whose type does not fit its key",
            "Each value is read by the type of its field, so that a number never turns into a text.",
            "[fields.clock]\ntype = \"time\"\ndefault = 90",
            "[fields.clock]\ntype = \"time\"\ndefault = \"90s\"",
        ),
        Code::UnknownWord => (
            "a word that this key does not take",
            "An unknown word would be a rule that nothing applies.",
            "on_death = \"checkpiont\"",
            "on_death = \"checkpoint\"",
        ),
        Code::OutOfRange => (
            "a number outside the limits of its key",
            "The limits keep saves small and every number exact.",
            "stars = 300",
            "stars = 3",
        ),
        Code::MeaninglessKey => (
            "a key that has no effect together with the others",
            "It was meant to have an effect, so either this key or another one is wrong.",
            "[fields.coppers]\nscope = \"profile\"\non_death = \"entry\"",
            "[fields.coppers]\nscope = \"profile\"",
        ),
        Code::BadId => (
            "a text that is not an id",
            "Ids are names in the game's code, in saves and in rules: lower case letters, digits and _, at most 48 characters, and not a reserved word.",
            "id = \"Long Mere\"",
            "id = \"long_mere\"\ntitle = \"Long Mere\"",
        ),
        Code::SameId => (
            "two ids of one list that are identical, or differ only in underscores",
            "With `fog_lamp` next to `foglamp`, somebody will use the wrong one sooner or later.",
            "[fields.fog_lamp]\n[fields.foglamp]",
            "[fields.fog_lamp]\n[fields.fog_lamp_oil]",
        ),
        Code::NearId => (
            "two ids of one list that are one letter apart",
            "One of them may be a typing mistake; ignore this if both are intended.",
            "[fields.letter]\n[fields.letters]",
            "[fields.letters]",
        ),
        Code::UnknownName => (
            "a name that is not declared",
            "A rule about something that does not exist never has an effect.",
            "from = \"leters\"",
            "from = \"letters\"",
        ),
        Code::CrossedBounds => (
            "a lower bound above the upper one",
            "No value lies between them.",
            "min = 90\nmax = 60",
            "min = 60\nmax = 90",
        ),
        Code::CircularBounds => (
            "bounds that depend on the field they limit",
            "Two numbers would push each other without end.",
            "[fields.oil]\nmax = \"oil_cap\"\n[fields.oil_cap]\nmin = \"oil\"",
            "[fields.oil]\nmax = \"oil_cap\"\n[fields.oil_cap]\nmin = 60",
        ),
        Code::DefaultOutsideBounds => (
            "a default outside its own bounds",
            "The first launch would start with a value that cannot occur in play.",
            "min = 60\nmax = 90",
            "default = 60\nmin = 60\nmax = 90",
        ),
        Code::RecordMisfit => (
            "a key that does not fit this record",
            "A record takes its values from one field of its own type, and not from another record.",
            "[fields.best_crossing]\ntype = \"time\"\nfrom = \"letters\"",
            "[fields.best_crossing]\ntype = \"time\"\nfrom = \"route_clock\"",
        ),
        Code::LeftBehind => (
            "something that a reset keeps although it depends on what goes",
            "It would be cut down, or be wrong, or count the same again.",
            "[[resets]]\nid = \"new_journey\"\nerases = [\"fields.oil_cap\"]   # `oil` has max = \"oil_cap\"",
            "[[resets]]\nid = \"new_journey\"\nerases = [\"fields.oil_cap\", \"fields.oil\"]",
        ),
        Code::LivesMisfit => (
            "a lives field that a death or a retry would refill, or that cannot count lives",
            "The life that a death takes must not come back with the checkpoint.",
            "[fields.boats]\non_death = \"checkpoint\"",
            "[fields.boats]\ntype = \"int\"\nscope = \"run\"\ndefault = 4\nmin = 0\non_death = \"stays\"\non_retry = \"stays\"",
        ),
        Code::Condition => (
            "a text that is not a valid condition",
            "Conditions are checked before anybody plays: every name exists, and types agree.",
            "unlock = \"letters = 6\"",
            "unlock = \"letters >= 6\"",
        ),
        Code::NeverOpens => (
            "a lock that no player can open",
            "It waits for itself, for others that wait for it, or for a number that is never reached. Nobody will see this part of the game.",
            "unlock = \"levels.reedgate.stars >= 4\"\n# and Reedgate has 3",
            "unlock = \"levels.reedgate.stars >= 3\"",
        ),
        Code::DecidedRule => (
            "a rule that is always true, or never",
            "Either it was meant to say something else, or it is not needed.",
            "# letters has min = 0\nunlock = \"letters >= 0\"",
            "unlock = \"letters > 0\"",
        ),
        Code::BareName => (
            "a name that needs a difficulty, in a rule without a current one",
            "An unlock belongs to the profile, not to a run, so it is not clear which difficulty is meant.",
            "[[unlocks]]\nwhen = \"totals.stars >= 8\"",
            "[[unlocks]]\nwhen = \"totals.all.stars >= 8\"",
        ),
        Code::NamelessStars => (
            "stars that are collected separately but have no ids",
            "Without ids a save has only the positions of the collected stars. A star put before others later would take over what was earned for them.",
            "stars_by = \"each\"\n[[levels]]\nid = \"reedgate\"\nstars = [\"letters >= 6\", \"oil > 0\"]",
            "stars = [\n  { id = \"full_bag\", when = \"letters >= 6\" },\n  { id = \"lit\", when = \"oil > 0\" },\n]",
        ),
        Code::UnorderedStars => (
            "a later star that asks for less than an earlier one",
            "Players read stars from the left: the first is the easiest.",
            "stars = [\"letters >= 9\", \"letters >= 6\"]",
            "stars = [\"letters >= 6\", \"letters >= 9\"]",
        ),
        Code::FailingRule => (
            "a rule that can end in an error, and so be false",
            "Comparing the order of an unset value is an error, and a rule that ends in an error counts as false.",
            "unlock = \"best_letters < 40\"",
            "unlock = \"best_letters != null && best_letters < 40\"",
        ),
        Code::NeverReset => (
            "a field that no event resets, although its scope ends",
            "Each run starts with what the previous one left, so the field is not really per-run.",
            "[fields.letters]\nscope = \"run\"\non_new_run = \"stays\"",
            "[fields.letters]\nscope = \"run\"",
        ),
        Code::UnansweredDeath => (
            "a field that does not set `on_death`",
            "It will keep its value on death. That is right for a score and wrong for oil; only you can know.",
            "[fields.oil]\nscope = \"run\"",
            "[fields.oil]\nscope = \"run\"\non_death = \"checkpoint\"",
        ),
        Code::UnsavedProgress => (
            "progress that is never saved",
            "It lasts until the program is closed, and then the player asks where it went.",
            "[fields.coppers]\nscope = \"profile\"\ndurable = false",
            "[fields.coppers]\nscope = \"profile\"",
        ),
        Code::MissedRecord => (
            "a record that takes its value at an event that does not save",
            "A player who beats it and then closes the game loses the new record.",
            "autosave = [\"checkpoint\"]\n[fields.best_letters]\nat = [\"run_end\"]",
            "autosave = [\"checkpoint\", \"run_end\"]\n[fields.best_letters]\nat = [\"run_end\"]",
        ),
        Code::UnnamedField => (
            "a field that no rule, record or rehearsal names",
            "If the game uses it, no test covers it; if not, it is saved for nothing.",
            "[fields.coppers]\n# and no rehearsal has `coppers` in it",
            "# in a rehearsal\nspend coppers 50\nexpect coppers == 70",
        ),
        Code::UnusedKind => (
            "a kind of objects that no area has",
            "Its objects are never put by, so that they are as their level makes them each time.",
            "[kinds.lamp]\n[[areas]]\nid = \"west\"\nkinds = [\"gate\"]",
            "[kinds.lamp]\n[[areas]]\nid = \"west\"\nkinds = [\"gate\", \"lamp\"]",
        ),
        Code::BadStep => (
            "a line of a rehearsal that is not a step",
            "Every line is one step in the engine's words; all mistakes are reported before anything runs.",
            "entr reedgate",
            "enter reedgate",
        ),
        Code::MissingStep => (
            "a version whose saves cannot be migrated any further",
            "A player with a save of that version could not open it any more.",
            "version = 3\n# migrations/v2.toml and no v3.toml",
            "# migrations/v3.toml\n[fields.letters]\nfrom = \"parcels\"",
        ),
        Code::Unaccounted => (
            "something of the old version that a step neither carries nor drops",
            "Data that a step does not mention would be lost by accident, so every loss must be stated.",
            "# `parcels` was removed, and migrations/v2.toml does not name it",
            "[fields.letters]\nfrom = \"parcels\"\n# or: drop = [\"fields.parcels\"]",
        ),
        Code::StepMisfit => (
            "a migration step that contradicts the versions it connects",
            "The step was right when it was written, so one of the three files has changed since.",
            "[fields.oil]\nmax = 60\n# and progress.toml has max = 50",
            "[fields.oil]\nmax = 50\nmisfit = \"nearest\"",
        ),
        Code::Frozen => (
            "a frozen version that was edited",
            "Players have its saves, and these do not change with it.",
            "version = 2\n# with another type than frozen/v2.toml",
            "version = 3\n# and migrations/v3.toml",
        ),
        _ => {
            ("a code that this tool does not know yet", "A newer version of the library reported it.", "", "")
        }
    };
    Page { what, why, wrong, right }
}
