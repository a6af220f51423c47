//! A small world next to a general entity-component crate: the game owns and moves the bodies, the fight handles
//! combat. Creatures appear from the reeds and disappear, and the world is saved, loaded and continued. Finally the
//! rules are edited, and the running world adopts them.
//!
//! `cargo run --release --example small_world`

#![allow(clippy::print_stdout, dead_code)]

use edgeplane::fight::{Event, Handle, Motion, Observer, SavedFight};
use edgeplane::{CharacterId, Error, Fight, Game, SideId, Time};
use hecs::World;

const RULES: &str = include_str!("rulesets/meadow.toml");
const MOWERS: SideId = SideId(0);
const REEDS: SideId = SideId(1);
const FRAME: f64 = 1.0 / 60.0;

/// A body in the game's own physics: its position, velocity, and speed.
struct Body {
    place: [f64; 2],
    velocity: [f64; 2],
    speed: f64,
}

/// Seconds for which a defeated creature remains.
struct Lying(f64);

/// The output of the game.
#[derive(Default)]
struct Screen {
    hits: u32,
    defeated: u32,
}

impl Observer for Screen {
    fn event(&mut self, _: Time, event: Event) {
        match event {
            Event::Hit { .. } => self.hits += 1,
            Event::Defeated { .. } => self.defeated += 1,
            _ => {}
        }
    }
}

fn spawn(
    bodies: &mut World,
    fight: &mut Fight,
    (character, side): (CharacterId, SideId),
    place: [f64; 2],
    speed: f64,
) -> Result<(), Error> {
    let handle = fight.spawn(character, side, place, &mut Screen::default())?;
    // From here on physics moves it.
    fight.move_by_game(fight.combatant(handle)?)?;
    bodies.spawn((handle, Body { place, velocity: [0.0; 2], speed }));
    Ok(())
}

/// Simple physics: everybody walks to the nearest enemy and stops at one metre.
fn walk(bodies: &mut World, fight: &Fight) -> Result<Vec<Motion>, Error> {
    let mut motions = Vec::new();
    let mut standing = Vec::new();
    for (handle, body) in bodies.query::<(&Handle, &Body)>().without::<&Lying>().iter() {
        standing.push((fight.side(fight.combatant(*handle)?), body.place));
    }
    for (handle, body) in bodies.query::<(&Handle, &mut Body)>().without::<&Lying>().iter() {
        let who = fight.combatant(*handle)?;
        let [x, y] = body.place;
        let apart = |place: &[f64; 2]| libm::hypot(place[0] - x, place[1] - y);
        let enemies = standing.iter().filter(|(side, _)| *side != fight.side(who)).map(|(_, place)| place);
        let goal = enemies.min_by(|a, b| apart(a).total_cmp(&apart(b))).copied().unwrap_or([0.0; 2]);
        let (distance, speed) = (apart(&goal), body.speed);
        let pace = if distance > 1.0 { speed / distance } else { 0.0 };
        body.velocity = [(goal[0] - x) * pace, (goal[1] - y) * pace];
        body.place = [x + body.velocity[0] * FRAME, y + body.velocity[1] * FRAME];
        motions.push(Motion { who, place: body.place, velocity: body.velocity });
    }
    Ok(motions)
}

/// Removes creatures two seconds after their defeat.
fn bury(bodies: &mut World, fight: &mut Fight, screen: &mut Screen) -> Result<(), Error> {
    let mut fallen = Vec::new();
    let mut gone = Vec::new();
    for (entity, handle, lying) in bodies.query::<(hecs::Entity, &Handle, Option<&mut Lying>)>().iter() {
        match lying {
            Some(Lying(seconds)) if *seconds <= 0.0 => gone.push((entity, *handle)),
            Some(Lying(seconds)) => *seconds -= FRAME,
            None if !fight.stands(fight.combatant(*handle)?) => fallen.push(entity),
            None => {}
        }
    }
    for (entity, handle) in gone {
        fight.despawn(handle, screen)?;
        bodies.despawn(entity).ok();
    }
    for entity in fallen {
        bodies.insert_one(entity, Lying(2.0)).ok();
    }
    Ok(())
}

/// A map of the ground with a dot every two metres: standing creatures are capitals, defeated ones small letters.
fn map(bodies: &World, fight: &Fight) -> Result<Vec<String>, Error> {
    let dot = |row: usize, column: usize| if row.is_multiple_of(2) && column.is_multiple_of(4) { '·' } else { ' ' };
    let mut cells: Vec<Vec<char>> = (0..25).map(|row| (0..49).map(|column| dot(row, column)).collect()).collect();
    for (handle, body, lying) in bodies.query::<(&Handle, &Body, Option<&Lying>)>().iter() {
        let name = &fight.setup().combatants[fight.combatant(*handle)?.index()].label;
        let letter = name.chars().next().unwrap_or('?');
        let [x, y] = body.place;
        let (column, row) = ((x * 2.0).round() as isize + 24, 12 - y.round() as isize);
        if let Some(cell) = cells.get_mut(row as usize).and_then(|row| row.get_mut(column as usize)) {
            *cell = if lying.is_some() { letter } else { letter.to_ascii_uppercase() };
        }
    }
    Ok(cells.into_iter().map(|row| row.into_iter().collect()).collect())
}

/// A log of this many seconds of the world, and its final map.
pub(crate) fn live(seconds: u32) -> Result<Vec<String>, Error> {
    let mut said = Vec::new();
    let mut game = Game::from_text("meadow.toml", RULES)?;
    let mut fight = game.world_on_ground(&["mowers", "reeds"], 5);
    let (mut bodies, mut screen) = (World::new(), Screen::default());
    for row in 0..4 {
        spawn(&mut bodies, &mut fight, (game.character("mower")?, MOWERS), [0.0, f64::from(row) * 2.0], 1.5)?;
    }
    let mut creatures = [(game.character("adder")?, 3.0), (game.character("toad")?, 2.0)];
    for frame in 0..60 * seconds {
        if frame % 50 == 0 {
            let (character, speed) = creatures[(frame / 50 % 3 / 2) as usize];
            let angle = f64::from(frame) * 0.7;
            let place = [12.0 * libm::cos(angle), 12.0 * libm::sin(angle)];
            spawn(&mut bodies, &mut fight, (character, REEDS), place, speed)?;
        }
        let motions = walk(&mut bodies, &fight)?;
        fight.set_motions(&motions)?;
        fight.advance(Time(u64::from(frame + 1) * 1_000_000 / 60), &mut screen)?;
        bury(&mut bodies, &mut fight, &mut screen)?;
        if frame == 60 * 45 {
            // What a save game would contain in addition to the bodies; another process continues with it.
            let text = serde_json::to_string(&fight.save()).unwrap_or_default();
            let Ok(saved) = serde_json::from_str::<SavedFight>(&text) else { break };
            fight = game.load(&saved)?;
            said.push(format!(
                "saved and loaded after 45 s: {} kB of text, {} kB as bytes",
                text.len() / 1_000,
                saved.bytes() / 1_000
            ));
        }
        if frame == 60 * 70 {
            // A designer has saved the file: an error in it would be shown, and the world would continue unchanged.
            game = Game::from_text("meadow.toml", &RULES.replace("lives = 260", "lives = 320"))?;
            let report = game.adopt(&mut fight)?;
            creatures = [(game.character("adder")?, 3.0), (game.character("toad")?, 2.0)];
            said.push(format!("an edit was adopted after 70 s, {} things go on as they were:", report.kept().count()));
            said.extend(report.changed().chain(report.lost()).take(4).map(|change| format!("  {change}")));
        }
        if frame % 900 == 899 {
            said.push(format!(
                "{:4.0} s: {:2} bodies in {:2} places, {:4} hits, {:3} defeated",
                f64::from(frame + 1) / 60.0,
                bodies.len(),
                fight.setup().combatants.len(),
                screen.hits,
                screen.defeated
            ));
        }
    }
    said.push(format!("the meadow after {seconds} s (M mower, A adder, T toad; a small letter lies there):"));
    said.extend(map(&bodies, &fight)?);
    Ok(said)
}

fn main() -> Result<(), Error> {
    for line in live(90)? {
        println!("{line}");
    }
    Ok(())
}
