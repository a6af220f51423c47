//! Runs trials for a list of measures, and adds their samples in the order of the trials.

use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use rayon::prelude::*;

use super::book::{Book, Sample};
use super::idle::Idle;
use super::ledger::{Figure, Ledger};
use super::luck::{LuckSums, NotedChance, Streams, that_vary};
use super::statistics::Confidence;
use super::stop::Stop;
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::fight::{Fight, Silent, seed_of_trial};
use crate::measures::Measure;
use crate::numbers::Extremes;
use crate::program::Setup;

/// The number of fights that a thread takes at a time: few, so that short studies use all threads, too.
const BATCH: u64 = 32;
/// The number of fights whose samples are stored before they are added, to bound the memory whatever the number of
/// trials.
const ROUND: u64 = 131_072;

/// An encounter of one ruleset, and its measures.
#[derive(Clone, Debug)]
pub struct Variant {
    setup: Arc<Setup>,
    measures: Vec<Measure>,
    /// Some fight has drawn chance, other than for tie-breaks.
    drew: Arc<AtomicBool>,
    /// The streams whose luck is recorded, if any.
    noted: Option<Arc<[u32]>>,
}

impl Variant {
    /// An encounter with measures as text; see [`crate::measures::Quantity`] for the possible ones.
    ///
    /// # Errors
    /// [`Error::Measure`] for the first measure that cannot be read.
    pub fn new(setup: Arc<Setup>, measures: &[impl AsRef<str>]) -> Result<Self, Error> {
        let read =
            |text: &str| Measure::parse(&setup, text).map_err(|fault| Error::Measure { text: text.to_owned(), fault });
        let measures = measures.iter().map(|text| read(text.as_ref())).collect::<Result<_, _>>()?;
        Ok(Self { setup, measures, drew: Arc::default(), noted: None })
    }

    /// The encounter.
    pub fn setup(&self) -> &Arc<Setup> {
        &self.setup
    }

    /// Records the luck of some streams.
    pub(super) fn noting(self, streams: &Arc<[u32]>) -> Self {
        Self { noted: Some(Arc::clone(streams)), ..self }
    }

    /// Whether no fight so far has drawn chance, so that all are equal except for tie-breaks.
    pub(super) fn is_certain(&self) -> bool {
        !self.drew.load(Ordering::Relaxed)
    }

    /// The measures in order.
    pub fn measures(&self) -> &[Measure] {
        &self.measures
    }
}

/// For each measure the sample of each trial, in order.
pub(super) type Samples = Vec<Vec<Sample>>;

/// Some trials of each variant, with their luck if it is recorded, and whether all of them were played.
struct Batch<const N: usize> {
    samples: [Samples; N],
    luck: [LuckSums; N],
    is_whole: bool,
}

impl<const N: usize> Batch<N> {
    /// Buffers for a number of trials of each.
    fn new(variants: [&Variant; N], trials: usize) -> Self {
        let luck = |one: &Variant| {
            let streams = one.noted.as_ref().map_or(0, |noted| noted.len());
            LuckSums::new(streams, if streams == 0 { 0 } else { one.measures.len() })
        };
        let samples = |one: &Variant| vec![Vec::with_capacity(trials); one.measures.len()];
        Self { samples: variants.map(samples), luck: variants.map(luck), is_whole: true }
    }
}

/// Threads with the seed of a study, and a callback for its progress.
pub(super) struct Crew<'a> {
    pool: Option<rayon::ThreadPool>,
    seed: u64,
    stop: Option<Stop>,
    done: AtomicU64,
    work: AtomicU64,
    progress: &'a (dyn Fn(u64) + Sync),
}

impl<'a> Crew<'a> {
    pub(super) fn new(plan: &TrialsPlan, progress: &'a (dyn Fn(u64) + Sync)) -> Self {
        // If no thread can be started, this one does everything.
        let pool = rayon::ThreadPoolBuilder::new().num_threads(plan.threads.unwrap_or(0)).build().ok();
        Self { pool, seed: plan.seed, stop: plan.stop, done: AtomicU64::new(0), work: AtomicU64::new(0), progress }
    }

    /// The number of fights played so far.
    pub(super) fn done(&self) -> u64 {
        self.done.load(Ordering::Relaxed)
    }

    /// Counts fights played elsewhere for the study.
    pub(super) fn count(&self, fights: u64) {
        self.done.fetch_add(fights, Ordering::Relaxed);
    }

    /// The average number of steps in a fight so far: equal on every machine, and roughly proportional to the time that
    /// a fight takes.
    pub(super) fn work(&self) -> f64 {
        self.work.load(Ordering::Relaxed) as f64 / self.done().max(1) as f64
    }

    /// Processes each element of a list, on all threads.
    pub(super) fn each<T: Sync, R: Send>(&self, list: &[T], work: impl Fn(usize, &T) -> R + Sync) -> Vec<R> {
        self.install(|| list.par_iter().enumerate().map(|(index, one)| work(index, one)).collect())
    }

    /// Whether the study is stopped.
    pub(super) fn is_stopped(&self) -> bool {
        self.stop.is_some_and(Stop::is_raised)
    }

    /// Runs some trials of a variant; only the first of them if it is stopped on the way.
    pub(super) fn samples(&self, variant: &Variant, trials: Range<u64>) -> Result<Samples, Error> {
        let [samples] = self.samples_of_each([variant], trials)?;
        Ok(samples)
    }

    /// The same with their luck.
    pub(super) fn samples_and_luck(&self, variant: &Variant, trials: Range<u64>) -> Result<(Samples, LuckSums), Error> {
        let Batch { samples: [samples], luck: [luck], .. } = self.install(|| self.batches([variant], trials))?;
        Ok((samples, luck))
    }

    /// The streams of a variant whose luck is worth recording, determined from its first trials.
    pub(super) fn streams_that_vary(&self, variant: &Variant) -> Result<Arc<[u32]>, Error> {
        let mut fight = Fight::with_chance(Arc::clone(&variant.setup), NotedChance::default(), 0);
        let luck = |trial: u64| {
            let seed = seed_of_trial(self.seed, trial);
            fight.restart(seed);
            fight.run(&mut Silent).map_err(|error| error.of_trial(&variant.setup, seed))?;
            Ok(fight.chance_mut().luck().to_vec())
        };
        let fights: Vec<Vec<f64>> = (0..BATCH).map(luck).collect::<Result<_, Error>>()?;
        Ok(that_vary(&fights).into())
    }

    /// The same trials of several variants, batch by batch, so that a stop leaves the same number of each.
    pub(super) fn samples_of_each<const N: usize>(
        &self,
        variants: [&Variant; N],
        trials: Range<u64>,
    ) -> Result<[Samples; N], Error> {
        Ok(self.install(|| self.batches(variants, trials))?.samples)
    }

    /// Runs something on the study's threads.
    pub(super) fn install<R: Send>(&self, work: impl FnOnce() -> R + Send) -> R {
        match &self.pool {
            Some(pool) => pool.install(work),
            None => work(),
        }
    }

    fn batches<const N: usize>(&self, variants: [&Variant; N], trials: Range<u64>) -> Result<Batch<N>, Error> {
        let count = (trials.end - trials.start).div_ceil(BATCH);
        let first = variants.map(|one| Fight::with_chance(Arc::clone(&one.setup), NotedChance::default(), 0));
        let begin = || (first.clone(), variants.map(|one| Book::new(&one.measures, &one.setup)));
        let idle = Idle::default();
        let batches: Vec<Option<Result<Batch<N>, Error>>> = (0..count)
            .into_par_iter()
            .map(|batch| {
                if self.is_stopped() {
                    return None;
                }
                let first = trials.start + batch * BATCH;
                let last = trials.end.min(first + BATCH);
                let batch = idle.lend(begin, |(fights, books)| self.one_batch(variants, fights, books, first..last));
                let done = N as u64 * (last - first);
                (self.progress)(self.done.fetch_add(done, Ordering::Relaxed) + done);
                Some(batch)
            })
            .collect();
        let mut all = Batch::new(variants, (trials.end - trials.start) as usize);
        for batch in batches {
            let Some(batch) = batch else { break };
            let batch = batch?;
            for (all, batch) in all.samples.iter_mut().flatten().zip(batch.samples.into_iter().flatten()) {
                all.extend(batch);
            }
            all.luck.iter_mut().zip(&batch.luck).for_each(|(all, batch)| all.join(batch));
            if !batch.is_whole {
                break;
            }
        }
        Ok(all)
    }

    /// A batch of long fights takes seconds, so after a stop it ends with the current trial.
    fn one_batch<const N: usize>(
        &self,
        variants: [&Variant; N],
        fights: &mut [Fight<NotedChance>; N],
        books: &mut [Book; N],
        trials: Range<u64>,
    ) -> Result<Batch<N>, Error> {
        let mut all = Batch::new(variants, BATCH as usize);
        let mut noted_luck = Vec::new();
        for trial in trials {
            if self.is_stopped() {
                all.is_whole = false;
                return Ok(all);
            }
            let sums = all.samples.iter_mut().zip(&mut all.luck);
            let each = variants.iter().zip(fights.iter_mut()).zip(books.iter_mut()).zip(sums);
            for (((variant, fight), book), (samples, sums)) in each {
                let seed = seed_of_trial(self.seed, trial);
                fight.restart(seed);
                let ending = fight.run(book).map_err(|error| error.of_trial(&variant.setup, seed))?;
                self.work.fetch_add(fight.steps_taken(), Ordering::Relaxed);
                book.close(fight, ending, samples);
                if variant.is_certain() && fight.has_drawn() {
                    variant.drew.store(true, Ordering::Relaxed);
                }
                if let Some(noted) = &variant.noted {
                    let luck = fight.chance_mut().luck();
                    noted_luck.clear();
                    noted_luck.extend(noted.iter().map(|stream| luck[*stream as usize]));
                    sums.add(&noted_luck, samples.iter().filter_map(|samples| samples.last().copied()));
                }
            }
        }
        Ok(all)
    }
}

/// The batches of a number of trials.
fn rounds(trials: Range<u64>) -> impl Iterator<Item = Range<u64>> {
    let end = trials.end;
    trials.step_by(ROUND as usize).map(move |first| first..end.min(first + ROUND))
}

/// Trials of one variant that can be extended.
pub(super) struct Running {
    variant: Variant,
    ledgers: Vec<Ledger>,
    luck: LuckSums,
    /// Where luck is removed and nothing has been run yet.
    streams: Option<Arc<Streams>>,
    first: u64,
    trials: u64,
}

impl Running {
    pub(super) fn new(variant: &Variant) -> Self {
        Self::starting_at(variant, 0)
    }

    /// The trials of the study from this one on: two that start far apart have no trial in common.
    pub(super) fn starting_at(variant: &Variant, first: u64) -> Self {
        let ledgers = variant.measures.iter().map(Ledger::new).collect();
        Self { variant: variant.clone(), ledgers, luck: LuckSums::default(), streams: None, first, trials: 0 }
    }

    pub(super) fn trials(&self) -> u64 {
        self.trials
    }

    /// Removes luck from its figures. The relevant streams are determined once for all variants of an encounter.
    pub(super) fn without_luck(self, streams: &Arc<Streams>) -> Self {
        Self { streams: Some(Arc::clone(streams)), ..self }
    }

    fn note_luck(&mut self, crew: &Crew<'_>) -> Result<(), Error> {
        let Some(streams) = self.streams.take() else { return Ok(()) };
        let noted = match streams.get() {
            Some(noted) => Arc::clone(noted),
            None => crew.streams_that_vary(&self.variant)?,
        };
        self.luck = LuckSums::new(noted.len(), self.ledgers.len());
        self.variant.noted = Some(Arc::clone(streams.get_or_init(|| noted)));
        Ok(())
    }

    /// Runs until there is a number of trials, or it is stopped.
    pub(super) fn run_to(&mut self, crew: &Crew<'_>, trials: u64) -> Result<(), Error> {
        self.note_luck(crew)?;
        for round in rounds(self.first + self.trials..self.first + trials) {
            let (samples, luck) = crew.samples_and_luck(&self.variant, round)?;
            self.luck.join(&luck);
            self.trials += samples.first().map_or(0, |samples| samples.len() as u64);
            for (ledger, samples) in self.ledgers.iter_mut().zip(samples) {
                samples.into_iter().for_each(|sample| ledger.add(sample));
            }
            if crew.is_stopped() {
                break;
            }
        }
        Ok(())
    }

    /// An error if it was stopped before anything is known.
    pub(super) fn something(&self, crew: &Crew<'_>) -> Result<(), Error> {
        if crew.is_stopped() && self.trials == 0 { Err(Error::Stopped) } else { Ok(()) }
    }

    pub(super) fn figures(&self, sure: Confidence) -> Vec<Figure> {
        let certain = self.variant.is_certain();
        let each = self.ledgers.iter().zip(&self.variant.measures).enumerate();
        each.map(|(index, (ledger, measure))| match ledger.luck(&self.luck, index) {
            Some(luck) => ledger.figure_without_luck(measure, sure, luck),
            None => ledger.figure(measure, sure, certain),
        })
        .collect()
    }

    /// Whether every interval is reliable; see [`Ledger::is_settled`].
    pub(super) fn is_settled(&self) -> bool {
        let certain = self.variant.is_certain();
        self.ledgers.iter().zip(&self.variant.measures).all(|(ledger, measure)| ledger.is_settled(measure, certain))
    }
}

/// Runs trials and estimates measures. `progress` is called with the number of fights done so far, from any thread. The
/// result is the same to the last bit on any number of threads.
///
/// ```
/// use std::sync::Arc;
/// use edgeplane::study::{Variant, run_measures};
/// use edgeplane::{Game, Setup, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let setup = Arc::new(Setup::of(game.program(), game.encounter("duel")?));
/// let variant = Variant::new(setup, &["duration.p50", "draw_rate"])?;
/// let figures = run_measures(&variant, &TrialsPlan { trials: 500, ..TrialsPlan::default() }, &|_| {})?;
/// assert!(figures[0].low <= figures[0].value && figures[0].value <= figures[0].high);
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// [`Error::Fight`] for the first trial that failed; [`Error::Stopped`].
pub fn run_measures(
    variant: &Variant,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Vec<Figure>, Error> {
    let crew = Crew::new(plan, progress);
    let mut running = Running::new(variant);
    running.run_to(&crew, plan.trials)?;
    running.something(&crew)?;
    Ok(running.figures(Confidence::default()))
}

/// Runs trials until every interval extends at most `precision` to either side, or `most` trials are done.
///
/// The first trials of the plan only determine how many are needed; all of these are then run before the next
/// evaluation, because stopping at the first lucky moment would make the intervals too narrow.
///
/// # Errors
/// As [`run_measures`].
pub fn run_to_precision(
    variant: &Variant,
    plan: &TrialsPlan,
    precision: f64,
    most: u64,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Vec<Figure>, Error> {
    /// Added to the number that seems to be needed, which is an estimate, too.
    const MARGIN: f64 = 1.05;
    /// The number of trials after which measures that have hardly varied are no longer waited for.
    const RARE: u64 = 1_000_000;
    let crew = Crew::new(plan, progress);
    let mut running = Running::new(variant);
    running.run_to(&crew, plan.trials.min(most))?;
    loop {
        running.something(&crew)?;
        let figures = running.figures(Confidence::default());
        let widest =
            figures.iter().filter(|figure| figure.value.is_some()).map(Figure::half_width).fold(0.0, f64::larger);
        let waits = !running.is_settled() && running.trials() < RARE.min(most);
        let narrow = widest <= precision || (widest.is_infinite() && !waits);
        if (narrow && !waits) || running.trials() >= most || crew.is_stopped() {
            return Ok(figures);
        }
        let times = if waits { (widest / precision).clamp(2.0, 4.0) } else { widest / precision };
        let needed = running.trials() as f64 * times * times * MARGIN;
        let at_least = running.trials() + running.trials() / 10;
        running.run_to(&crew, (needed.smaller(most as f64) as u64).clamp(at_least.min(most), most))?;
    }
}
