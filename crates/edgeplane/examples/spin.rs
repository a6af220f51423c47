use edgeplane::*;
fn main() {
    let game = Game::open("demo/weir-nine").unwrap();
    let mut f = game.fight("duel", 0).unwrap();
    let t = std::time::Instant::now();
    for i in 0..std::env::args().nth(1).map_or(200_000u64, |a| a.parse().unwrap()) { f.restart(edgeplane::fight::seed_of_trial(1, i)); f.run(&mut Silent).unwrap(); }
    println!("{:.0} ns", t.elapsed().as_secs_f64()*1e9/200_000.0);
}
