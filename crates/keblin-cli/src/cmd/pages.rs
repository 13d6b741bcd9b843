//! What the codes of findings mean: what is found, why it hurts, and an example wrong and right.

use keblin::Code;

/// The page of a code.
pub(crate) struct Page {
    /// What is found, in half a sentence.
    pub(crate) what: &'static str,
    /// Why it matters.
    pub(crate) why: &'static str,
    /// An example that has it.
    pub(crate) wrong: &'static str,
    /// The same, mended.
    pub(crate) right: &'static str,
}

/// The page of a code.
pub(crate) fn page(code: Code) -> Page {
    let (what, why, wrong, right) = match code {
        Code::Syntax => (
            "the text is not TOML",
            "Nothing behind the fault can be trusted, so names that seem to be missing are not complained about until it is mended.",
            "game = \"fen_post",
            "game = \"fen_post\"",
        ),
        Code::UnknownKey => (
            "a key that means nothing at its place",
            "A key that is misspelt would otherwise be a rule that silently does not hold.",
            "[fields.oil]\ndefualt = 60",
            "[fields.oil]\ndefault = 60",
        ),
        Code::MissingKey => (
            "a key that must be there",
            "Without it there is no telling what is meant, and guessing would lose somebody's progress.",
            "[fields.oil]\ntype = \"int\"",
            "[fields.oil]\ntype = \"int\"\nscope = \"run\"",
        ),
        Code::WrongType => (
            "a value of another type than its key takes",
            "Each value is read by the kind of its field, so that a number never turns into a text on the way.",
            "[fields.clock]\ntype = \"time\"\ndefault = 90",
            "[fields.clock]\ntype = \"time\"\ndefault = \"90s\"",
        ),
        Code::UnknownWord => (
            "a word that is not one of those its key takes",
            "A word that is not known would be a rule that nobody keeps.",
            "on_death = \"checkpiont\"",
            "on_death = \"checkpoint\"",
        ),
        Code::OutOfRange => (
            "a number outside what its key takes",
            "The limits keep saves small and every number exact.",
            "stars = 300",
            "stars = 3",
        ),
        Code::MeaninglessKey => (
            "a key that has no effect together with the others",
            "What has no effect was meant to have one: either this key or another is not what it should be.",
            "[fields.coppers]\nscope = \"profile\"\non_death = \"entry\"",
            "[fields.coppers]\nscope = \"profile\"",
        ),
        Code::BadId => (
            "a text that is not an id",
            "Ids are names in the game's code, in saves and in rules: lower case letters, digits and _, at most 48, and no word that has a meaning of its own.",
            "id = \"Long Mere\"",
            "id = \"long_mere\"\ntitle = \"Long Mere\"",
        ),
        Code::SameId => (
            "two ids of one list that are the same, or the same to a reader",
            "`fog_lamp` beside `foglamp` would be written into the wrong one sooner or later.",
            "[fields.fog_lamp]\n[fields.foglamp]",
            "[fields.fog_lamp]\n[fields.fog_lamp_oil]",
        ),
        Code::NearId => (
            "two ids of one list that are one letter apart",
            "Often one of them is a slip; if both are meant, nothing has to be done.",
            "[fields.letter]\n[fields.letters]",
            "[fields.letters]",
        ),
        Code::UnknownName => (
            "a name that nothing declares",
            "A rule about something that is not there never does anything.",
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
            "bounds that follow from the field they bound",
            "Each of two numbers would push the other, and neither would come to rest.",
            "[fields.oil]\nmax = \"oil_cap\"\n[fields.oil_cap]\nmin = \"oil\"",
            "[fields.oil]\nmax = \"oil_cap\"\n[fields.oil_cap]\nmin = 60",
        ),
        Code::DefaultOutsideBounds => (
            "a default that its own bounds refuse",
            "The first launch would begin with a value that can never come about in play.",
            "min = 60\nmax = 90",
            "default = 60\nmin = 60\nmax = 90",
        ),
        Code::RecordMisfit => (
            "something that does not fit the record it is said of",
            "A record is fed from one value of its own kind, and from no other record.",
            "[fields.best_crossing]\ntype = \"time\"\nfrom = \"letters\"",
            "[fields.best_crossing]\ntype = \"time\"\nfrom = \"route_clock\"",
        ),
        Code::LivesMisfit => (
            "a lives field that a death or a retry would fill up again, or that cannot count lives",
            "The life that a death takes must not come back with the checkpoint the death leads to.",
            "[fields.boats]\non_death = \"checkpoint\"",
            "[fields.boats]\ntype = \"int\"\nscope = \"run\"\ndefault = 4\nmin = 0\non_death = \"stays\"\non_retry = \"stays\"",
        ),
        Code::Condition => (
            "a text that is not a condition, or asks what cannot be asked",
            "Conditions are checked before anybody plays: every name exists, and types agree.",
            "unlock = \"letters = 6\"",
            "unlock = \"letters >= 6\"",
        ),
        Code::NeverOpens => (
            "a lock that nothing a player can do will open",
            "It waits for itself, for others that wait for it, or for a number that is never reached: a part of the game that nobody will see.",
            "unlock = \"levels.reedgate.stars >= 4\"\n# and Reedgate has 3",
            "unlock = \"levels.reedgate.stars >= 3\"",
        ),
        Code::DecidedRule => (
            "a rule that always holds, or never",
            "Either it was meant to say something else, or it says nothing.",
            "# letters has min = 0\nunlock = \"letters >= 0\"",
            "unlock = \"letters > 0\"",
        ),
        Code::BareName => (
            "a name that leaves the difficulty open where none is in question",
            "An unlock belongs to the profile, not to a run, so it is not clear which difficulty is meant.",
            "[[unlocks]]\nwhen = \"totals.stars >= 8\"",
            "[[unlocks]]\nwhen = \"totals.all.stars >= 8\"",
        ),
        Code::UnorderedStars => (
            "stars in an order in which a later one is given for less",
            "Players read stars from the left: the first is the easiest.",
            "stars = [\"letters >= 9\", \"letters >= 6\"]",
            "stars = [\"letters >= 6\", \"letters >= 9\"]",
        ),
        Code::FailingRule => (
            "a rule that can end in an error, and so be false",
            "Ordering what is unset has no answer, and a rule without one is taken as not holding.",
            "unlock = \"best_letters < 40\"",
            "unlock = \"best_letters != null && best_letters < 40\"",
        ),
        Code::NeverReset => (
            "a field that no event resets, though its scope ends",
            "The next run begins with what the last one left: a value of a run that is none.",
            "[fields.letters]\nscope = \"run\"\non_new_run = \"stays\"",
            "[fields.letters]\nscope = \"run\"",
        ),
        Code::UnansweredDeath => (
            "a field that does not say what a death does to it",
            "It stays. That is right for a score and wrong for oil, and nobody but the game can know.",
            "[fields.oil]\nscope = \"run\"",
            "[fields.oil]\nscope = \"run\"\non_death = \"checkpoint\"",
        ),
        Code::UnsavedProgress => (
            "progress that nothing saves",
            "It is there until the program is closed, and then the player asks where it went.",
            "[fields.coppers]\nscope = \"profile\"\ndurable = false",
            "[fields.coppers]\nscope = \"profile\"",
        ),
        Code::MissedRecord => (
            "a record that is fed at an event at which nothing is saved",
            "A player who beats it and closes the game has not beaten it.",
            "autosave = [\"checkpoint\"]\n[fields.best_letters]\nat = [\"run_end\"]",
            "autosave = [\"checkpoint\", \"run_end\"]\n[fields.best_letters]\nat = [\"run_end\"]",
        ),
        Code::UnnamedField => (
            "a field that no rule, record or rehearsal names",
            "If the game uses it, nobody tests what becomes of it; if not, it is saved for nothing.",
            "[fields.coppers]\n# and no rehearsal has `coppers` in it",
            "# in a rehearsal\nspend coppers 50\nexpect coppers == 70",
        ),
        Code::BadStep => (
            "a line of a rehearsal that is not a step",
            "Every line is one step in the engine's words; all faults are told before anything runs.",
            "entr reedgate",
            "enter reedgate",
        ),
        Code::MissingStep => (
            "a version that saves may be of, and that nothing leads on from",
            "A player with a save of that version could not open it any more.",
            "version = 3\n# migrations/v2.toml and no v3.toml",
            "# migrations/v3.toml\n[fields.letters]\nfrom = \"parcels\"",
        ),
        Code::Unaccounted => (
            "something of the version before that a step neither carries nor drops",
            "What nobody speaks of is lost without anybody having meant it, so nothing is lost unsaid.",
            "# `parcels` is gone, and migrations/v2.toml does not name it",
            "[fields.letters]\nfrom = \"parcels\"\n# or: drop = [\"fields.parcels\"]",
        ),
        Code::StepMisfit => (
            "a step that says something else than the versions it stands between",
            "A step was right when it was written; if it no longer is, one of the three files has changed since.",
            "[fields.oil]\nmax = 60\n# and progress.toml has max = 50",
            "[fields.oil]\nmax = 50\nmisfit = \"nearest\"",
        ),
        Code::Frozen => (
            "a frozen version that is no longer what was frozen",
            "Its saves are out there and do not change with it.",
            "version = 2\n# with another type than frozen/v2.toml",
            "version = 3\n# and migrations/v3.toml",
        ),
        _ => ("a code that this tool does not know yet", "It was found by a newer library.", "", ""),
    };
    Page { what, why, wrong, right }
}
