//! The common path: open a ruleset, run fights, run studies.

mod by_name;

#[cfg(feature = "files")]
use std::path::Path;
use std::sync::{Arc, OnceLock};

use crate::error::Error;
#[cfg(feature = "serde")]
use crate::fight::SavedFight;
use crate::fight::{Adoption, Ending, Fight, Log, Sampler};
use crate::measures::check_expectations;
use crate::program::{EncounterId, NameTable, Program, Setup};
#[cfg(feature = "study")]
use crate::rules::{NumberAt, numbers_of};
use crate::text::{self, Diagnostics, Document, Node, Override, Sources, Value};

/// A value that differs between two rulesets.
#[derive(Clone, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Edit {
    /// Its path.
    pub path: String,
    /// The value in the first, written or inherited; `None` if it has none.
    pub before: Option<String>,
    /// The value in the second, written or inherited; `None` if it has none.
    pub after: Option<String>,
}

/// A ruleset that is ready to be played. Cheap to clone, and shared by all its fights.
#[derive(Clone, Debug)]
pub struct Game {
    program: Arc<Program>,
    /// The setup of each encounter, computed on first use and shared by all its fights.
    setups: Arc<[OnceLock<Arc<Setup>>]>,
    /// The source, from which variants can be built.
    sources: Arc<Sources>,
    /// The same as a document, without overrides.
    parsed: Arc<Document>,
    overrides: Vec<Override>,
    forced: Vec<(String, String)>,
}

impl Game {
    /// Opens a ruleset: a file, or a folder of files.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// let game = Game::open("examples/rulesets/pond.toml")?;
    /// assert!(Game::open("examples/rulesets/no_such.toml").is_err());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns [`Error::Ruleset`] with all errors.
    #[cfg(feature = "files")]
    pub fn open(path: impl AsRef<Path>) -> Result<Self, Error> {
        Self::open_with(path, &[])
    }

    /// Opens a ruleset with some of its values replaced.
    ///
    /// ```
    /// # use edgeplane::{Game, Override};
    /// let heavy = Override::parse("attributes.heft=15").expect("a path and a value");
    /// let game = Game::open_with("examples/rulesets/pond.toml", &[heavy])?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns [`Error::Ruleset`] with all errors.
    #[cfg(feature = "files")]
    pub fn open_with(path: impl AsRef<Path>, overrides: &[Override]) -> Result<Self, Error> {
        let sources = Sources::read(path.as_ref())
            .map_err(|diagnostics| Error::Ruleset { sources: Sources::default(), diagnostics })?;
        Self::from_sources(sources, overrides)
    }

    /// A ruleset given as a text, for rulesets embedded in a program.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// let error = Game::from_text("rules.toml", "[pools]\nhealth = { maximum = 30 }").unwrap_err();
    /// assert!(error.to_string().contains("maximum"), "it names what nobody knows");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns [`Error::Ruleset`] with all errors.
    pub fn from_text(name: &str, text: &str) -> Result<Self, Error> {
        Self::from_sources(Sources::from_text(name, text), &[])
    }

    /// A ruleset given as texts, with some of its values replaced.
    ///
    /// ```
    /// # use edgeplane::{Game, Sources};
    /// let mut sources = Sources::default();
    /// sources.add("pools.toml", "[pools]\nhealth = { max = 30, defeat = true }");
    /// sources.add("characters.toml", "[character.eel]\nabilities = []");
    /// let game = Game::from_sources(sources, &[])?;
    /// assert!(game.character("eel").is_ok());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns [`Error::Ruleset`] with all errors.
    pub fn from_sources(sources: Sources, overrides: &[Override]) -> Result<Self, Error> {
        let mut out = Diagnostics::default();
        let parsed = Document::read(&sources, &mut out);
        Self::of_document(Arc::new(parsed), Arc::new(sources), overrides, out)
    }

    fn of_document(
        parsed: Arc<Document>,
        sources: Arc<Sources>,
        overrides: &[Override],
        out: Diagnostics,
    ) -> Result<Self, Error> {
        let failed = |(sources, diagnostics)| Error::Ruleset { sources, diagnostics };
        let program = Program::of_document(Document::clone(&parsed), Sources::clone(&sources), overrides, out);
        let program = Arc::new(program.map_err(failed)?);
        let diagnostics = check_expectations(&program);
        if !diagnostics.is_empty() {
            return Err(failed((program.sources().clone(), diagnostics)));
        }
        let setups = no_setups(&program);
        Ok(Self { program, setups, sources, parsed, overrides: overrides.to_vec(), forced: Vec::new() })
    }

    /// The same ruleset with additional values replaced.
    ///
    /// ```
    /// use edgeplane::{Game, Override};
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let heavier = game.variant(&[Override::parse("attributes.heft=12").unwrap()])?;
    /// assert!(game.variant(&[Override::parse("attributes.hefd=12").unwrap()]).is_err());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// Returns [`Error::Ruleset`] with all errors.
    pub fn variant(&self, overrides: &[Override]) -> Result<Self, Error> {
        let all: Vec<Override> = self.overrides.iter().chain(overrides).cloned().collect();
        // The document itself had no errors; otherwise there would be no game to vary.
        let (parsed, sources) = (Arc::clone(&self.parsed), Arc::clone(&self.sources));
        let mut game = Self::of_document(parsed, sources, &all, Diagnostics::default())?;
        for (character, ability) in &self.forced {
            game = game.forced(character, ability)?;
        }
        Ok(game)
    }

    /// The merged files with the replaced values in place.
    fn document(&self) -> Document {
        self.written().0
    }

    /// The number of values in the files, by which the time to build the ruleset is estimated.
    #[cfg(feature = "study")]
    pub(crate) fn value_count(&self) -> usize {
        self.document().values().len()
    }

    /// The same, with the texts to which its spans refer.
    pub(crate) fn written(&self) -> (Document, Sources) {
        let (mut sources, mut out) = (Sources::clone(&self.sources), Diagnostics::default());
        let mut document = Document::clone(&self.parsed);
        for set in &self.overrides {
            set.apply(&mut document, &mut sources, &mut out);
        }
        (document, sources)
    }

    /// What was read.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// assert_eq!(game.sources().files().len(), 1);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// The value at a path as written, if it is a number or a text: `character.lockhand.attributes.heft`.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// assert_eq!(game.written_at("ability.sickle.cooldown").as_deref(), Some("2"));
    /// assert_eq!(game.written_at("ability.sickle.charges"), None);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn written_at(&self, path: &str) -> Option<String> {
        text_of(text::overrides::find(&self.document(), path)?)
    }

    /// The value that holds at a path: as written, or as inherited.
    #[cfg(feature = "study")]
    pub(crate) fn value_at(&self, path: &str) -> Option<String> {
        text_of(text::overrides::find_inherited(&self.document(), path)?)
    }

    /// The differences to another ruleset, by path: first changed and removed values, then new ones.
    ///
    /// ```
    /// # use edgeplane::{Game, Override};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let slower = game.variant(&[Override::parse("ability.sickle.cooldown=3").expect("a path and a value")])?;
    /// let edits = game.edits_to(&slower);
    /// assert_eq!((edits.len(), edits[0].path.as_str()), (1, "ability.sickle.cooldown"));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn edits_to(&self, other: &Self) -> Vec<Edit> {
        let documents = [self.document(), other.document()];
        let [before, after] = documents.each_ref().map(Document::values);
        let (old, new) = (text_by_path(&before), text_by_path(&after));
        let inherited = |document: &Document, path: &str| text_of(text::overrides::find_inherited(document, path)?);
        let edit = |path: &str| Edit {
            path: path.to_owned(),
            before: old.get(path).map(str::to_owned).or_else(|| inherited(&documents[0], path)),
            after: new.get(path).map(str::to_owned).or_else(|| inherited(&documents[1], path)),
        };
        let changed = before.iter().filter(|(path, text)| new.get(path) != Some(text));
        let added = after.iter().filter(|(path, _)| !old.contains(path));
        changed.chain(added).map(|(path, _)| edit(path)).collect()
    }

    /// Every number on which an encounter can depend, in the order of the files.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let numbers = game.numbers_of("shore")?;
    /// let cooldown = numbers.iter().find(|one| one.path == "ability.sickle.cooldown").expect("both use it");
    /// assert_eq!(cooldown.value, Some(2.0));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] if there is no such encounter.
    #[cfg(feature = "study")]
    pub fn numbers_of(&self, encounter: &str) -> Result<Vec<NumberAt>, Error> {
        self.encounter(encounter)?;
        Ok(numbers_of(&self.document(), encounter))
    }

    /// The compiled rules.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// assert_eq!(game.program().pools().len(), 2);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// The same game with a character that uses only one ability, whenever possible: to see what that ability does by
    /// itself.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let only_rests = game.forced("reed_cutter", "rest")?;
    /// assert!(game.forced("bog_pike", "rest").is_err(), "it has no such ability");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] if there is no such character, or it does not have the ability.
    pub fn forced(&self, character: &str, ability: &str) -> Result<Self, Error> {
        let id = self.character(character)?;
        let plan = &self.program.characters()[id.index()];
        let names = plan.abilities.iter().map(|ability| self.program.ability(*ability).name.clone());
        let names: Vec<String> = names.collect();
        let Some(place) = names.iter().position(|name| name == ability) else {
            return Err(unknown("ability of that character", ability, names));
        };
        let mut program = Program::clone(&self.program);
        program.force(id, place);
        let mut forced = self.forced.clone();
        forced.push((character.to_owned(), ability.to_owned()));
        let setups = no_setups(&program);
        Ok(Self { program: Arc::new(program), setups, forced, ..self.clone() })
    }

    /// The `data` of a rule for the game, by its path: `ability.boathook`. `None` if it has none.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// use edgeplane::text::Data;
    ///
    /// let Some(Data::Table(data)) = game.data("ability.sickle") else { panic!("it says something") };
    /// assert_eq!(data["icon"], Data::Text("sickle.png".into()));
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn data(&self, path: &str) -> Option<&text::Data> {
        self.program.data(path)
    }

    /// A fight of an encounter that has not begun yet.
    ///
    /// ```
    /// # use edgeplane::{Game, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.fight("shore", 1)?;
    /// let ending = fight.run(&mut Silent)?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] if there is no such encounter.
    pub fn fight(&self, encounter: &str, seed: u64) -> Result<Fight, Error> {
        Ok(Fight::with_chance(self.setup(self.encounter(encounter)?), Sampler::default(), seed))
    }

    /// Continues a fight that was saved by [`Fight::save`].
    ///
    /// ```
    /// # use edgeplane::{CombatantId, Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// # let mut fight = game.fight("shore", 1)?;
    /// # let (cutter, pike) = (CombatantId(0), CombatantId(1));
    /// fight.advance(Time::from_seconds(3.0), &mut Silent)?;
    /// let mut loaded = game.load(&fight.save())?;
    /// assert_eq!(loaded.run(&mut Silent)?, fight.run(&mut Silent)?, "as if it had never stopped");
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Save`] if it is of another version of the library, another ruleset or another encounter, or damaged.
    #[cfg(feature = "serde")]
    pub fn load(&self, saved: &SavedFight) -> Result<Fight, Error> {
        Fight::from_saved(&self.program, saved).map_err(|what| Error::Save { what })
    }

    /// Continues a running fight under this ruleset, so that an edit takes effect without a restart.
    ///
    /// Everything with the same name in both rulesets is carried over: pool amounts, changed bases and levels, statuses
    /// with their stacks, casters and times, cooldowns, uses and charges, casts, zones and the combatants inside,
    /// abilities in flight, gear, threat, positions, the clock, and the random streams. Statuses, cooldowns and casts
    /// that have begun keep their end times; new durations apply to what begins later. Initial states of characters and
    /// encounters apply to combatants that join later. Attributes, caps and flows follow the new rules at once, and
    /// pools follow their caps as their rules say.
    ///
    /// Ids of combatants and handles remain valid; all other ids belong to the new ruleset and have to be looked up
    /// again. Under an identical ruleset the fight continues unchanged.
    ///
    /// ```
    /// use edgeplane::{Game, Override, Silent, Time};
    ///
    /// let game = Game::from_text("small.toml", edgeplane::example_text())?;
    /// let mut fight = game.fight("duel", 7)?;
    /// fight.advance(Time::from_seconds(2.0), &mut Silent)?;
    ///
    /// let edited = game.variant(&[Override::parse("attributes.grit.base=5").expect("a path and a number")])?;
    /// for change in edited.adopt(&mut fight)?.changed() {
    ///     println!("{change}");
    /// }
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a participant's character is not in this ruleset, or an attribute, a cap or a flow has no value under it. The
    /// fight is then unchanged.
    pub fn adopt(&self, fight: &mut Fight) -> Result<Adoption, Error> {
        Ok(fight.adopt(&self.program)?)
    }

    /// A fight with these sides and without combatants: the game spawns them ([`Fight::spawn`]), and the fight
    /// continues whoever is left. Distances do not matter; [`Game::world_on_ground`] has positions.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.world(&["bank", "water"], 7);
    /// fight.spawn(game.character("bog_pike")?, SideId(1), [0.0, 0.0], &mut Silent)?;
    /// fight.advance(Time::from_seconds(1.0), &mut Silent)?;
    /// assert_eq!(fight.ending(), None);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn world(&self, sides: &[&str], seed: u64) -> Fight {
        Fight::with_chance(Arc::new(Setup::empty(&self.program, sides)), Sampler::default(), seed)
    }

    /// The same on the ground.
    ///
    /// ```
    /// # use edgeplane::{Game, SideId, Silent};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.world_on_ground(&["bank", "water"], 7);
    /// let handle = fight.spawn(game.character("bog_pike")?, SideId(1), [6.0, 2.0], &mut Silent)?;
    /// assert_eq!(fight.place(fight.combatant(handle)?), [6.0, 2.0]);
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    pub fn world_on_ground(&self, sides: &[&str], seed: u64) -> Fight {
        Fight::with_chance(Arc::new(Setup::empty_ground(&self.program, sides)), Sampler::default(), seed)
    }

    /// Everything that the fights of an encounter share.
    fn setup(&self, encounter: EncounterId) -> Arc<Setup> {
        Arc::clone(self.setups[encounter.index()].get_or_init(|| Arc::new(Setup::of(&self.program, encounter))))
    }

    /// A fight between two characters, without an encounter.
    ///
    /// ```
    /// # use edgeplane::{Game, Silent, Time};
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let mut fight = game.duel("reed_cutter", "bog_pike", 1)?;
    /// fight.advance(Time::from_seconds(30.0), &mut Silent)?;
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] if there is no such character.
    pub fn duel(&self, one: &str, other: &str, seed: u64) -> Result<Fight, Error> {
        let sides =
            [("one".to_owned(), vec![self.character(one)?]), ("other".to_owned(), vec![self.character(other)?])];
        let setup = Arc::new(Setup::between(&self.program, &sides));
        Ok(Fight::with_chance(setup, Sampler::default(), seed))
    }

    /// Runs a fight to its end and returns all its events.
    ///
    /// ```
    /// # use edgeplane::Game;
    /// # let game = Game::open("examples/rulesets/pond.toml")?;
    /// let (ending, log) = game.play("shore", 1)?;
    /// println!("{ending:?} after {} events", log.events.len());
    /// # Ok::<(), edgeplane::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`Error::Unknown`] or [`Error::Fight`].
    pub fn play(&self, encounter: &str, seed: u64) -> Result<(Ending, Log), Error> {
        let mut fight = self.fight(encounter, seed)?;
        let mut log = Log::default();
        let ending = fight.run(&mut log).map_err(Error::from)?;
        Ok((ending, log))
    }
}

fn text_by_path(values: &[(String, String)]) -> NameTable<&str> {
    let mut table = NameTable::default();
    for (path, text) in values {
        table.insert(path, text.as_str());
    }
    table
}

fn text_of(node: &Node) -> Option<String> {
    match &node.value {
        Value::Number(number) => Some(number.to_string()),
        Value::Text(text, _) => Some(text.clone()),
        _ => None,
    }
}

fn no_setups(program: &Program) -> Arc<[OnceLock<Arc<Setup>>]> {
    program.encounters().iter().map(|_| OnceLock::new()).collect()
}

fn unknown(what: &'static str, name: &str, known: Vec<String>) -> Error {
    Error::Unknown { what, name: name.to_owned(), known }
}
