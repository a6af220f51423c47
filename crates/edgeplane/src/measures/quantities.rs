//! The quantities that can be measured. The table in this file is the only one: errors, the guide and the commands use
//! it.

/// The kind of an argument.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Argument {
    /// A side of the encounter.
    Side,
    /// A combatant, all combatants of a character, or a whole side.
    Who,
    /// An ability, a status, or a damage type.
    Source,
    /// An ability.
    Ability,
    /// A pool.
    Pool,
    /// A hit step.
    Step,
    /// A status.
    Status,
    /// A mark that steps set.
    Mark,
    /// A reason for which abilities are unavailable.
    Reason,
    /// A report of effects to the game.
    Report,
}

impl Argument {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Side => "side",
            Self::Who => "who",
            Self::Source => "ability, status or damage type",
            Self::Ability => "ability",
            Self::Pool => "pool",
            Self::Step => "hit step",
            Self::Status => "status",
            Self::Mark => "mark",
            Self::Reason => "reason",
            Self::Report => "report",
        }
    }
}

/// The unit of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Unit {
    /// A share, 0 to 1.
    Share,
    /// Seconds.
    Seconds,
    /// A number per fight.
    Count,
    /// An amount of a pool per fight.
    Amount,
    /// An amount of a pool per second.
    PerSecond,
}

impl Unit {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Share => "share",
            Self::Seconds => "seconds",
            Self::Count => "count",
            Self::Amount => "amount",
            Self::PerSecond => "per second",
        }
    }
}

macro_rules! quantities {
    ($($variant:ident $name:literal [$($must:ident)*] [$($may:ident)*] $unit:ident $about:literal;)*) => {
        /// A quantity measured in each fight.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        pub enum Quantity { $(#[doc = $about] $variant,)* }

        impl Quantity {
            /// All quantities.
            pub const ALL: &'static [Quantity] = &[$(Quantity::$variant,)*];

            /// Its name in measures.
            pub fn name(self) -> &'static str {
                match self { $(Self::$variant => $name,)* }
            }

            /// Required arguments.
            pub fn must(self) -> &'static [Argument] {
                match self { $(Self::$variant => &[$(Argument::$must),*],)* }
            }

            /// Optional arguments.
            pub fn may(self) -> &'static [Argument] {
                match self { $(Self::$variant => &[$(Argument::$may),*],)* }
            }

            /// The unit of its values.
            pub fn unit(self) -> Unit {
                match self { $(Self::$variant => Unit::$unit,)* }
            }

            /// Its meaning, in one sentence.
            pub fn about(self) -> &'static str {
                match self { $(Self::$variant => $about,)* }
            }
        }
    };
}

quantities! {
    WinRate "win_rate" [Side] [] Share "Share of fights that the side wins.";
    DrawRate "draw_rate" [] [] Share "Share of fights that nobody wins.";
    Duration "duration" [] [] Seconds "Duration of a fight.";
    DefeatRate "defeat_rate" [Who] [] Share "Share of fights at the end of which all of them are defeated.";
    Defeated "defeated" [Who] [] Count "The number of them that are defeated at the end.";
    Survivors "survivors" [Who] [] Count "The number of them that stand at the end.";
    DefeatTime "defeat_time" [Who] [] Seconds "When the first of them is defeated; fights without a defeat do not count.";
    Left "left" [Who Pool] [] Amount "The final amounts of the pool, all of them together.";
    LeftShare "left_share" [Who Pool] [] Share "The same as a share of the caps.";
    Damage "damage" [Who] [Source] Amount "Damage that they deal.";
    DamagePerSecond "damage_per_second" [Who] [Source] PerSecond "Damage that they deal, divided by the duration of the fight.";
    DamageShare "damage_share" [Who Source] [] Share "Its share of all their damage.";
    DamageTaken "damage_taken" [Who] [Source] Amount "Damage that reaches their pools.";
    Prevented "prevented" [Who Step] [] Amount "The amount that the step removes from hits on them.";
    Soaked "soaked" [Who] [Pool] Amount "The amount that their pools soak.";
    Overkill "overkill" [Who] [Source] Amount "Damage in excess of what was left.";
    Healing "healing" [Who] [Source] Amount "Healing that they do.";
    HealingPerSecond "healing_per_second" [Who] [Source] PerSecond "Healing that they do, divided by the duration of the fight.";
    HealingTaken "healing_taken" [Who] [Source] Amount "Healing that reaches their pools.";
    Overheal "overheal" [Who] [Source] Amount "Healing in excess of the cap.";
    Restored "restored" [Who Pool] [] Amount "Gains of the pool without steps.";
    Drained "drained" [Who Pool] [] Amount "Losses of the pool without steps.";
    Spent "spent" [Who Pool] [Ability] Amount "Costs paid from the pool.";
    DamagePerCost "damage_per_cost" [Who Pool] [Ability] Amount "Damage that they deal per point paid from the pool.";
    Uses "uses" [Who] [Ability] Count "The number of abilities that they start.";
    Hits "hits" [Who] [Source] Count "The number of hits that they deal, including stopped ones.";
    StoppedRate "stopped_rate" [Who] [Source] Share "Share of their hits that a step stops.";
    EvadedRate "evaded_rate" [Who] [Step] Share "Share of the hits on them that a step stops.";
    MarkRate "mark_rate" [Who Mark] [Source] Share "Share of their hits that carry the mark.";
    Ticks "ticks" [Who] [Status] Count "The number of ticks of their statuses.";
    Applied "applied" [Who Status] [] Count "The number of applications of the status to them.";
    Uptime "uptime" [Who Status] [] Share "Share of the time for which they have the status.";
    MeanStacks "mean_stacks" [Who Status] [] Count "Stacks while they have the status.";
    Unavailable "unavailable" [Who] [Ability Reason] Seconds "Seconds for which they are free to act and an ability is unavailable; summed over all their abilities if none is named.";
    Experience "experience" [Who] [] Amount "Experience that they gain, all of them together.";
    Reports "reports" [Who] [Report] Count "The number of reports of their effects to the game.";
    Reported "reported" [Who Report] [] Count "The sum of the first numbers of their reports to the game.";
    Idle "idle" [Who] [] Share "Share of their standing time in which they are free to act and can use nothing.";
}

impl Quantity {
    /// Finds a quantity by name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|quantity| quantity.name() == name)
    }

    /// Its form: `damage(who[, ability, status or damage type])`.
    pub fn shape(self) -> String {
        let names = |list: &[Argument]| list.iter().map(|one| one.name().to_owned()).collect::<Vec<_>>();
        let mut inside = names(self.must()).join(", ");
        for name in names(self.may()) {
            inside.push_str(&format!("[, {name}]"));
        }
        if inside.is_empty() { self.name().to_owned() } else { format!("{}({inside})", self.name()) }
    }

    /// Whether each fight gives 0 or 1.
    pub fn is_share_of_fights(self) -> bool {
        matches!(self, Self::WinRate | Self::DrawRate | Self::DefeatRate)
    }
}
