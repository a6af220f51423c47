use edgeplane::*;
fn main() {
    let game = match Game::open("demo/weir-nine") { Ok(g)=>g, Err(e)=>{ eprintln!("{e}"); std::process::exit(2)} };
    for e in std::env::args().skip(1) {
    let t = std::time::Instant::now();
    let trials = game.trials(&e, &TrialsPlan{trials:100_000, threads: Some(1), ..Default::default()}).unwrap();
    let s = t.elapsed().as_secs_f64();
    println!("{e} {:.0} fights/s {:?} draws {:?} dur {:?}", 1e5/s, trials.sides.iter().map(|s| (s.side.clone(), s.win_rate.value, s.win_rate.low, s.win_rate.high)).collect::<Vec<_>>(), trials.draws.value, trials.duration);
    }
    let (end, log) = game.play("duel", 7).unwrap();
    println!("{end:?} {}", log.events.len());
    let f = game.fight("duel", 7).unwrap();
    for e in &log.events { println!("{}", serde_json::to_string(&edgeplane::fight::Telling::new(f.setup(), *e)).unwrap()); }
}
