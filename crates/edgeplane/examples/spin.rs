#[path = "../benches/native/mod.rs"]
mod native;
use edgeplane::fight::seed_of_trial;
use edgeplane::{Game, Silent};
fn main() {
    let n: u64 = std::env::args().nth(1).unwrap().parse().unwrap();
    let game = Game::open("demo/weir-nine").unwrap();
    let mut fight = game.fight("duel", 0).unwrap();
    let (s, i) = (native::Streams::of(fight.setup()).unwrap(), native::Ids::of(fight.setup()).unwrap());
    if std::env::args().nth(2).as_deref() == Some("pair") {
        let mut r = vec![];
        let (mut ea, mut na) = (vec![], vec![]);
        for p in 0..41u64 {
            let mut e = || {
                let t = std::time::Instant::now();
                for k in p * n..(p + 1) * n {
                    fight.restart(seed_of_trial(1, k));
                    let _ = std::hint::black_box(fight.run(&mut Silent));
                }
                t.elapsed().as_secs_f64()
            };
            let na_ = || {
                let t = std::time::Instant::now();
                for k in p * n..(p + 1) * n {
                    std::hint::black_box(native::fight(&s, &i, seed_of_trial(1, k), &mut Silent));
                }
                t.elapsed().as_secs_f64()
            };
            let (a, b) = if p % 2 == 0 {
                let a = e();
                (a, na_())
            } else {
                let b = na_();
                (e(), b)
            };
            r.push(a / b);
            ea.push(a);
            na.push(b);
        }
        for v in [&mut r, &mut ea, &mut na] {
            v.sort_by(f64::total_cmp);
        }
        eprintln!(
            "engine {:.0} native {:.0} ratio {:.2} ({:.2} to {:.2})",
            ea[20] * 1e9 / n as f64,
            na[20] * 1e9 / n as f64,
            r[20],
            r[10],
            r[30]
        );
        return;
    }
    let t = std::time::Instant::now();
    if std::env::args().nth(2).as_deref() == Some("native") {
        for k in 0..n {
            std::hint::black_box(native::fight(&s, &i, seed_of_trial(1, k), &mut Silent));
        }
    } else {
        for k in 0..n {
            fight.restart(seed_of_trial(1, k));
            let _ = std::hint::black_box(fight.run(&mut Silent));
        }
    }
    eprintln!("{:.0} ns", t.elapsed().as_secs_f64() * 1e9 / n as f64);
}
