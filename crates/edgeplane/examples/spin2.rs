use edgeplane::fight::seed_of_trial;
use edgeplane::{Game, Log, Silent};
fn main() {
    let n: u64 = std::env::args().nth(1).unwrap().parse().unwrap();
    let game = Game::open("crates/edgeplane/benches/rulesets/soaking.toml").unwrap();
    let mut fight = game.fight("soaking", 0).unwrap();
    let mut log = Log::default();
    fight.run(&mut log).unwrap();
    eprintln!("{} events {:?}", log.events.len(), fight.now());
    for k in 0..n {
        fight.restart(seed_of_trial(1, k));
        let _ = std::hint::black_box(fight.run(&mut Silent));
    }
}
