//! Studies in parts: each part counts a range of the trials, and all parts together give the same bytes as one run.
//!
//! Floating-point sums depend on their order, so the order is determined by the numbers of the trials only: batches are
//! joined in pairs in a tree of fixed shape. A part keeps the largest branches of that tree that lie completely inside
//! it, which are at most two for each doubling of the trials.

use std::ops::Range;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::tally::Tally;
use super::trials::{BATCH, Trials, TrialsPlan, count_batches, figures};
use crate::error::Error;
use crate::program::{Setup, stable_hash};

/// The sums of a range of batches: a branch of the tree, with the number of its first batch and the number of its
/// batches, a power of two.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Branch {
    first: u64,
    batches: u64,
    tally: Tally,
}

/// Batches joined in an order that does not depend on where a part begins.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Forest(Vec<Branch>);

impl Forest {
    /// Adds the next batch, or any branch that lies after the last one.
    fn push(&mut self, mut branch: Branch) {
        while let Some(last) = self.0.last() {
            let is_twin = last.batches == branch.batches
                && last.first + last.batches == branch.first
                && last.first.is_multiple_of(2 * last.batches);
            if !is_twin {
                break;
            }
            let Some(mut left) = self.0.pop() else { break };
            left.tally.join(&branch.tally);
            branch = Branch { first: left.first, batches: 2 * left.batches, tally: left.tally };
        }
        self.0.push(branch);
    }

    pub(super) fn push_batch(&mut self, number: u64, tally: Tally) {
        self.push(Branch { first: number, batches: 1, tally });
    }

    /// Debug texts of numbers are exact, and stable within a version of the library.
    fn checksum(&self) -> String {
        format!("{:016x}", stable_hash(format!("{:?}", self.0)))
    }

    /// Joins everything from left to right.
    pub(super) fn total(&self, setup: &Setup) -> Tally {
        let mut all = Tally::new(setup);
        self.0.iter().for_each(|branch| all.join(&branch.tally));
        all
    }
}

/// One part of a study, to be stored in a file and merged with the others.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct StudyPart {
    /// The version of the library that produced it.
    pub edgeplane: String,
    /// A fingerprint of the ruleset: of the contents of its files, and of values set in their place.
    pub ruleset: String,
    /// The encounter.
    pub encounter: String,
    /// The seed of the whole study.
    pub seed: u64,
    /// The number of fights of the whole study.
    pub trials: u64,
    /// Its number, from 1.
    pub part: u64,
    /// The number of parts.
    pub parts: u64,
    forest: Forest,
    /// A checksum of all counts, to detect damage.
    checksum: String,
}

/// Why parts cannot be merged.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PartFault {
    /// There is nothing to merge.
    Nothing,
    /// Two parts (by their indices in the list) belong to different studies.
    Different {
        /// The index of the other one.
        at: usize,
        /// The difference to the first: "seed".
        what: &'static str,
    },
    /// A part belongs to another ruleset or another version of this library.
    Foreign {
        /// Its index in the list.
        at: usize,
        /// The difference.
        what: &'static str,
    },
    /// The same part exists twice with different contents, or its contents are damaged.
    Damaged {
        /// Its index in the list.
        at: usize,
    },
}

impl std::fmt::Display for PartFault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Nothing => f.write_str("there is nothing to merge"),
            Self::Different { what, .. } => write!(f, "it is of another study than the first: its {what} differs"),
            Self::Foreign { what, .. } => write!(f, "it does not belong to this ruleset: the {what} differs"),
            Self::Damaged { .. } => f.write_str("its contents do not match its checksum"),
        }
    }
}

impl std::error::Error for PartFault {}

/// The result of merging parts.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Merged {
    /// The figures of all fights that are present.
    pub trials: Trials,
    /// The missing parts.
    pub missing: Vec<u64>,
}

/// A name for the rules of a setup, equal on every machine.
fn fingerprint(setup: &Setup) -> String {
    let files = setup.program().sources().files().iter().map(|file| file.text());
    let lines = setup.policies.iter().map(|one| one.lines.iter().map(|line| line.ability_index).collect::<Vec<_>>());
    let lines = format!("{:?}", lines.collect::<Vec<_>>());
    let all = files.chain([lines.as_str()]).fold(0_u64, |hash, text| hash.rotate_left(17) ^ stable_hash(text));
    format!("{all:016x}")
}

/// The batches of a part.
fn stretch(trials: u64, part: u64, parts: u64) -> Range<u64> {
    let batches = u128::from(trials.div_ceil(BATCH));
    let bound = |number: u64| (batches * u128::from(number) / u128::from(parts.max(1))) as u64;
    bound(part.saturating_sub(1))..bound(part)
}

/// Runs one part of a study, with numbers from 1 to `parts`.
///
/// # Errors
/// [`Error::Fight`] for the first trial (by number) that failed; [`Error::Stopped`].
pub fn run_part(
    setup: &Arc<Setup>,
    plan: &TrialsPlan,
    (part, parts): (u64, u64),
    progress: &(dyn Fn(u64) + Sync),
) -> Result<StudyPart, Error> {
    let forest = count_batches(setup, plan, stretch(plan.trials, part, parts), progress)?;
    let counted = StudyPart {
        edgeplane: env!("CARGO_PKG_VERSION").to_owned(),
        ruleset: fingerprint(setup),
        encounter: setup.name.clone(),
        seed: plan.seed,
        trials: plan.trials,
        part,
        parts,
        checksum: forest.checksum(),
        forest,
    };
    // An incomplete part could be taken for a complete one.
    if counted.is_whole(setup) { Ok(counted) } else { Err(Error::Stopped) }
}

/// The number of fights of a part.
pub fn trials_of_part(trials: u64, (part, parts): (u64, u64)) -> u64 {
    let stretch = stretch(trials, part, parts);
    trials.min(stretch.end * BATCH) - trials.min(stretch.start * BATCH)
}

/// Merges parts in any order; duplicates count once. With all parts, the figures equal those of a single run to the
/// last byte.
///
/// # Errors
/// [`PartFault`] if they are not parts of one study of these rules.
pub fn merge_parts(setup: &Setup, parts: &[StudyPart]) -> Result<Merged, PartFault> {
    let first = parts.first().ok_or(PartFault::Nothing)?;
    let mut sorted: Vec<Option<&StudyPart>> = Vec::new();
    for (at, part) in parts.iter().enumerate() {
        let version = env!("CARGO_PKG_VERSION");
        for (what, same) in [
            ("version of the tool", part.edgeplane == version),
            ("ruleset or set value", part.ruleset == fingerprint(setup)),
            ("encounter", part.encounter == setup.name),
        ] {
            if !same {
                return Err(PartFault::Foreign { at, what });
            }
        }
        for (what, same) in [
            ("seed", part.seed == first.seed),
            ("number of fights", part.trials == first.trials),
            ("number of parts", part.parts == first.parts),
        ] {
            if !same {
                return Err(PartFault::Different { at, what });
            }
        }
        if !part.is_whole(setup) {
            return Err(PartFault::Damaged { at });
        }
        let index = part.part as usize - 1;
        if sorted.len() <= index {
            sorted.resize(index + 1, None);
        }
        if sorted[index].replace(part).is_some_and(|other| other != part) {
            return Err(PartFault::Damaged { at });
        }
    }
    sorted.resize(first.parts as usize, None);
    let mut forest = Forest::default();
    let there = sorted.iter().flatten();
    there.flat_map(|part| &part.forest.0).for_each(|branch| forest.push(branch.clone()));
    let plan = TrialsPlan { trials: first.trials, seed: first.seed, ..TrialsPlan::default() };
    let missing = (1..).zip(&sorted).filter(|(_, part)| part.is_none()).map(|(number, _)| number).collect();
    Ok(Merged { trials: figures(setup, &plan, &forest.total(setup)), missing })
}

/// The maximum number of parts of one study.
pub const MOST_PARTS: u64 = 100_000;

impl StudyPart {
    /// Whether it contains exactly the batches of its range, each with everything that is counted.
    fn is_whole(&self, setup: &Setup) -> bool {
        if !(1..=MOST_PARTS).contains(&self.parts) || !(1..=self.parts).contains(&self.part) {
            return false;
        }
        if self.checksum != self.forest.checksum() {
            return false;
        }
        let stretch = stretch(self.trials, self.part, self.parts);
        let mut next = stretch.start;
        for branch in &self.forest.0 {
            let fights = self.trials.min((branch.first + branch.batches) * BATCH).saturating_sub(branch.first * BATCH);
            if branch.first != next || !branch.tally.is_of(setup) || branch.tally.fights != fights {
                return false;
            }
            next += branch.batches;
        }
        next == stretch.end
    }
}
