//! A world as a ruleset.

use std::fmt::Write as _;

use edgeplane::program::TriggerEvent;

use super::world::{
    Area, CapRule, Character, Counts, Effect, Forbids, Given, Ground, Joins, LIMIT, NEEDED, Only, Pick, Reapply, SPEED,
    Side, Status, Step, Sustain, TRAVEL, To, Uses, When, World, weight,
};

fn seconds(micros: u64) -> String {
    format!("{:.4}", micros as f64 / 1e6)
}

fn effect(effect: Effect, to: &str) -> String {
    let body = match effect {
        Effect::Damage(base, 0.0) => format!("damage = {base}, type = \"blow\""),
        Effect::Damage(base, per) => format!("damage = \"{base} + caster.might * {per}\", type = \"blow\""),
        Effect::InOrder(base) => format!("damage = \"{base} * 0.5 ^ (order - 1)\", type = \"blow\""),
        Effect::Far(base) => format!("damage = \"{base} + distance\", type = \"blow\""),
        Effect::Grown(base) => format!("damage = \"{base} + 2 * caster.level\", type = \"blow\""),
        Effect::Heal(amount) => format!("heal = {amount}"),
        Effect::Drain(amount) => format!("drain = \"wind\", amount = {amount}"),
        Effect::Restore(amount) => format!("restore = \"wind\", amount = {amount}"),
        Effect::Apply(status) => format!("apply = \"s{status}\""),
        Effect::Interrupt => "interrupt = true".to_owned(),
        Effect::Push(metres) => format!("push = {metres}"),
        Effect::Pull(metres) => format!("pull = {metres}"),
        Effect::Leap(metres) => format!("leap = {metres}"),
        Effect::Zone(zone) => format!("zone = \"z{zone}\""),
        Effect::Threat(amount) => format!("threat = {amount}"),
        Effect::Wear(piece) => format!("wear = \"g{piece}\""),
        Effect::TakeOff(piece) => format!("take_off = \"g{piece}\""),
        Effect::Learn(amount) => format!("experience = {amount}"),
        Effect::Call(character, count) => format!("call = \"c{character}\", count = {count}"),
        Effect::Consume(status, Some(stacks)) => format!("consume = \"s{status}\", stacks = {stacks}"),
        Effect::Consume(status, None) => format!("consume = \"s{status}\""),
        Effect::Cleanse(status) => format!("cleanse = \"s{status}\""),
        Effect::Transfer(status) => format!("transfer = \"s{status}\""),
        Effect::Extend(status, by) => format!("extend = \"s{status}\", by = {}", seconds(by)),
        Effect::Shorten(status, by) => format!("shorten = \"s{status}\", by = {}", seconds(by)),
        Effect::Toggle(status) => format!("toggle = \"s{status}\""),
        Effect::InterruptLoud => "interrupt = { tag = \"loud\" }".to_owned(),
        Effect::InterruptOne(ability) => format!("interrupt = {{ ability = \"a{ability}\" }}"),
        Effect::CleanseWet => "cleanse = { tags = [\"wet\"], count = 1 }".to_owned(),
        Effect::ConsumeWet => "consume = { tag = \"wet\" }, stacks = 1".to_owned(),
        Effect::Win => "win = true".to_owned(),
        Effect::Cold(base, false) => format!("damage = {base}, spread = 0.25, type = \"cold\""),
        Effect::Cold(base, true) => format!("damage = {base}, type = \"cold\", skips = \"all\""),
        Effect::ApplyMore(status, stacks, lasts) => {
            format!("apply = \"s{status}\", stacks = {stacks}, duration = {}", seconds(lasts))
        }
        Effect::Leech(amount) => format!("drain = \"wind\", amount = {amount}, to_caster = 0.5"),
        Effect::CleanseKind(buff) => {
            let kind = if buff { "buff" } else { "debuff" };
            format!("cleanse = {{ kind = \"{kind}\", count = 1, pick = \"newest\" }}")
        }
        Effect::Winding(amount) => format!("damage = {amount}, type = \"pure\", pool = \"wind\""),
        Effect::Piercing(amount) => format!("damage = {amount}, type = \"blow\", skips = [\"guard\"]"),
        Effect::Pure(amount) => format!("damage = {amount}, type = \"pure\""),
        Effect::Keen(amount) => format!("damage = {amount}, type = \"blow\", tags = [\"loud\"]"),
        Effect::HealKind(amount, skips) => {
            format!("heal = {amount}, tags = [\"kind\"]{}", if skips { ", skips = [\"care\"]" } else { "" })
        }
        Effect::HealWind(amount) => format!("heal = {amount}, spread = \"10%\", pool = \"wind\""),
        Effect::Teach(ability) => format!("give = \"a{ability}\""),
        Effect::Take(ability) => format!("take = \"a{ability}\""),
        Effect::TakeLoud => "take = { tag = \"loud\" }".to_owned(),
        Effect::Asked(base) => format!("damage = \"gust({base})\", type = \"pure\""),
        Effect::Report => "report = \"told\", numbers = [\"caster.might\", 1]".to_owned(),
        Effect::Shield(amount) => format!("restore = \"shell\", amount = {amount}"),
        Effect::Revive(amount) => format!("revive = {{ health = {amount} }}"),
    };
    let to = if matches!(effect, Effect::Call(..) | Effect::Win) {
        [", when", ", chance"].iter().filter_map(|key| to.find(key)).min().map_or("", |at| &to[at..])
    } else {
        to
    };
    format!("{{ {body}{to} }}")
}

fn chance(likely: Option<bool>) -> &'static str {
    match likely {
        None => "",
        Some(true) => ", chance = \"60%\"",
        Some(false) => ", chance = 0.4",
    }
}

fn effect_on((does, to, only): (Effect, To, Only)) -> String {
    let when = only.above.map_or(String::new(), |above| format!(", when = \"target.health.share > {above}\""));
    let when = when + chance(only.likely);
    effect(does, &(receiver(to) + &when))
}

fn receiver(to: To) -> String {
    match to {
        To::Target => String::new(),
        To::Caster => ", to = \"caster\"".to_owned(),
        To::Side(side, None) => format!(", to = \"{}\"", side.name()),
        To::Side(side, Some(within)) => format!(", to = \"{}\", within = {within}", side.name()),
    }
}

pub(super) fn text(world: &World) -> String {
    let cap_rule = match world.cap_rule {
        CapRule::Keep => "",
        CapRule::Scale => ", on_cap_change = \"scale\"",
        CapRule::Shift => ", on_cap_change = \"shift\"",
    };
    let regen = if world.portions { "{ amount = 1, every = 0.5 }" } else { "2" };
    let decay = if world.decays { ", decay = 1" } else { "" };
    let mut out = format!(
        "{}[attributes]\nguard = {{ base = 0, max = 90 }}\nvigour = 50\nfeet = 0\nmight = 10\nspeed = \"feet\"\n\
         resist = {{ per = \"damage_type\", base = 0, min = -0.5, max = 0.75 }}\n[pools]\n\
         health = {{ max = \"vigour\", defeat = true{cap_rule} }}\nwind = {{ max = 40, start = 20, regen = {regen} }}\n\
         shell = {{ max = 30, start = 0{decay} }}\n[damage_types]\nblow = {{}}\ncold = {{}}\n\
         pure = {{ skips = \"all\" }}\n[cause.flood]\ndoes = [{{ damage = \"amount\", type = \"cold\" }}]\n",
        if world.floors { "[ruleset]\nname = \"world\"\nrounding = \"floor\"\n" } else { "" }
    );
    out += "[[hit_steps]]\nname = \"edge\"\ntags = [\"loud\"]\nmark = \"cut\"\namount = \"amount + 1\"\n\
            [[hit_steps]]\nname = \"guard\"\ntypes = [\"blow\"]\namount = \"amount * (100 - target.guard) / 100\"\n\
            [[hit_steps]]\nname = \"resist\"\namount = \"amount * (1 - target.resist)\"\n\
            [[hit_steps]]\nname = \"blank\"\ntypes = [\"cold\"]\nwhen = \"target.shell >= 15\"\nstop = \"blanked\"\n\
            [[hit_steps]]\nname = \"shell\"\nsoak = \"shell\"\nalways = true\n\
            [[heal_steps]]\nname = \"care\"\nwhen = \"target.health.share <= 0.5\"\namount = \"amount * 1.5\"\n\
            [[heal_steps]]\nname = \"comfort\"\ntags = [\"kind\"]\namount = \"amount + 2\"\n";
    out += "[formula.gust]\nargs = [\"x\"]\nis = \"x\"\ngame = true\n";
    if world.threat {
        let _ = writeln!(out, "[threat]\ndamage = 1\nhealing = 0.5");
    }
    if world.levels {
        let _ = writeln!(out, "[levels]\nneeds = {NEEDED}\nin_fight = true\nmost = {}", world.most);
        if world.points {
            let _ = writeln!(
                out,
                "points = \"level - 1\"\n[point.brawn]\ngives = {{ might = 1 }}\n[point.calm]\ngives = {{ might = 0.5 }}"
            );
        }
    }
    if world.diminishes && world.statuses.iter().any(|status| status.wet) {
        let _ = writeln!(out, "[diminish.wet]\nwindow = 3\nsteps = [1, 0.5, 0]");
    }
    statuses(world, &mut out);
    for (index, zone) in world.zones.iter().enumerate() {
        let _ = writeln!(out, "[zone.z{index}]\nradius = {}\naffects = \"{}\"", zone.radius, zone.affects.name());
        let _ = writeln!(out, "owner = {}\ncarried = {}\nmax_instances = {}", zone.owner, zone.carried, zone.most);
        let mut key = |key: &str, value: Option<String>| {
            value.map(|value| writeln!(out, "{key} = {value}"));
        };
        key("grows", (zone.grows != 0.0).then(|| zone.grows.to_string()));
        key("lasts", zone.lasts.map(seconds));
        key("apply", zone.applies.map(|status| format!("[\"s{status}\"]")));
        key("enters", zone.enters.map(|does| format!("[{}]", effect(does, ""))));
        key("leaves", zone.leaves.map(|does| format!("[{}]", effect(does, ""))));
        key("uses", zone.uses.map(|uses| uses.to_string()));
    }
    for (index, gear) in world.gear.iter().enumerate() {
        let _ = writeln!(out, "[gear.g{index}]");
        what_it_does(&format!("g{index}"), world.status(world.status_of_gear(index)), &mut out);
        if let Some(slot) = gear.slot {
            let _ = writeln!(out, "slot = \"slot{slot}\"");
        }
        if gear.in_set {
            let _ = writeln!(out, "set = \"both\"");
        }
        if let Some(given) = gear.gives {
            let _ = writeln!(out, "statuses = [\"s{}\"]", given.status);
        }
    }
    if world.gear.iter().any(|gear| gear.in_set) {
        let _ = writeln!(out, "[status.whole]\nduration = inf\nmodify = [{{ attribute = \"might\", add = 3 }}]");
        let more = world.set_gives.map_or(String::new(), |Given { status, stacks, lasts }| {
            let lasts = lasts.map_or(String::new(), |lasts| format!(", duration = {}", seconds(lasts)));
            format!(", {{ status = \"s{status}\", stacks = {stacks}{lasts} }}")
        });
        let _ = writeln!(out, "[gear_set.both]\nworn = {{ 2 = [\"whole\"{more}] }}");
    }
    abilities(world, &mut out);
    for (index, character) in world.characters.iter().enumerate() {
        one(world, index, character, &mut out);
    }
    encounter(world, &mut out);
    out
}

fn statuses(world: &World, out: &mut String) {
    for (index, status) in world.statuses.iter().enumerate() {
        let again = match status.reapply {
            Reapply::Keep => "\"keep\"".to_owned(),
            Reapply::Refresh => "\"refresh\"".to_owned(),
            Reapply::Extend => "\"extend\"".to_owned(),
            Reapply::Stack(most) => format!("\"stack\"\nmax_stacks = {most}"),
            Reapply::Replace => "\"replace\"".to_owned(),
            Reapply::Longest => "\"longest\"".to_owned(),
            Reapply::Strongest => format!("\"strongest\"\nrank = {}", status.rank),
        };
        let _ = writeln!(out, "[status.s{index}]\nduration = {}\nreapply = {again}", seconds(status.duration));
        what_it_does(&format!("s{index}"), status, out);
        if let Some((does, uses_up)) = status.at_max {
            let _ = writeln!(out, "at_max = [{}]\nconsume = {uses_up}", effect(does, ""));
        }
        if let Some(share) = status.above {
            let _ = writeln!(out, "while = \"self.health.share > {share}\"");
        }
        let kind = if status.is_buff { "buff" } else { "debuff" };
        let _ = writeln!(out, "kind = \"{kind}\"\ncleansable = {}", status.cleansable);
        if let Some(resisted) = status.resisted {
            let _ = writeln!(out, "resist = {}", if resisted { "0.6" } else { "\"40%\"" });
        }
        let tags = |on: bool, tag: &str| if on { format!("[\"{tag}\"]") } else { "[]".to_owned() };
        let forbidden = if status.forbids == Forbids::Acting { "act" } else { "loud" };
        let _ = writeln!(out, "forbids = {}", tags(status.forbids != Forbids::Nothing, forbidden));
        let _ = writeln!(out, "tags = {}", tags(status.wet, "wet"));
        let _ = writeln!(out, "interrupts = {}\ntaunts = {}", status.interrupts, status.taunts);
        if status.charms {
            let _ = writeln!(out, "side = \"caster\"");
        }
    }
}

/// The effect of a status on its owner, or of a worn piece.
fn what_it_does(name: &str, status: &Status, out: &mut String) {
    let mut changes = Vec::new();
    if status.might != 0.0 {
        changes.push(format!("add = \"{} * stacks\"", status.might));
    }
    if status.percent != 0.0 {
        changes.push(format!("percent = {}", status.percent));
    }
    if status.times != 1.0 {
        changes.push(format!("times = {}", status.times));
    }
    changes.extend(status.at_least.map(|least| format!("at_least = {least}")));
    changes.extend(status.at_most.map(|most| format!("at_most = {most}")));
    changes.extend(status.set.map(|to| format!("set = {to}")));
    let mut changes: Vec<String> =
        changes.iter().map(|change| format!("{{ attribute = \"might\", {change} }}")).collect();
    if status.vigour != 0.0 {
        changes.push(format!("{{ attribute = \"vigour\", add = {} }}", status.vigour));
    }
    if let Some((all, by)) = status.resists {
        let of = if all { "" } else { ".cold" };
        changes.push(format!("{{ attribute = \"resist{of}\", add = {by} }}"));
    }
    let _ = writeln!(out, "modify = [{}]", changes.join(", "));
    if let Some((period, does)) = status.period {
        let now = if status.ticks_now { ", first_tick = \"now\"" } else { "" };
        let rhythm = if status.restarts { ", rhythm = \"restart\"" } else { "" };
        let part = if status.part_tick { ", part_tick = true" } else { "" };
        let period = match status.ticks {
            None => format!("period = {}", seconds(period)),
            Some(ticks) => format!("ticks = {ticks}"),
        };
        let does = effect(does, "");
        let _ = writeln!(out, "every = {{ {period}{now}{rhythm}{part}, does = [{does}] }}");
    }
    if let Some(step) = status.step {
        let of = match step {
            Step::HalvesTaken => "of = \"hits_taken\", before = \"guard\", amount = \"amount * 0.5\"",
            Step::AddsDealt => "of = \"hits_dealt\", before = \"guard\", amount = \"amount + 2\"",
            Step::Soaks => "of = \"hits_taken\", after = \"guard\", soak = \"wind\", always = true",
            Step::Turns => {
                "of = \"hits_taken\", after = \"guard\", types = [\"cold\"], when = \"amount <= 6\", stop = \"turned\""
            }
            Step::Marks => "of = \"hits_dealt\", before = \"guard\", tags = [\"loud\"], mark = \"cut\"",
        };
        let _ = writeln!(out, "hit_steps = [{{ name = \"p{name}\", {of} }}]");
    }
    let immune = if status.immune { "\"wet\"" } else { "" };
    let _ = writeln!(out, "immune = [{immune}]");
    let brings = status.brings.map_or(String::new(), |ability| format!("\"a{ability}\""));
    let _ = writeln!(out, "abilities = [{brings}]");
    if let Some(allies_too) = status.untargetable {
        let _ = writeln!(out, "untargetable = \"{}\"", if allies_too { "everyone" } else { "enemies" });
    }
    if let Some(trigger) = status.trigger {
        let to = if trigger.to_other && trigger.event.has_other() { ", to = \"other\"" } else { "" };
        let (does, event) = (effect(trigger.does, to), trigger.event.name());
        let cooldown = seconds(trigger.cooldown);
        let of = match trigger.of {
            None => String::new(),
            Some(Side::Everyone) => ", of = \"anyone\"".to_owned(),
            Some(side) => format!(", of = \"{}\"", side.name()),
        };
        let mut more = of;
        more += &trigger.uses.map_or(String::new(), |uses| format!(", uses = {uses}"));
        more += if trigger.loud { ", tag = \"loud\"" } else { "" };
        more += chance(trigger.likely);
        more += &trigger.ability.map_or(String::new(), |ability| format!(", ability = \"a{ability}\""));
        more += &trigger.status.map_or(String::new(), |status| format!(", status = \"s{status}\""));
        more += if trigger.wet { ", tag = \"wet\"" } else { "" };
        more += &trigger.reason.map_or(String::new(), |reason| format!(", reason = \"{}\"", reason.name()));
        match trigger.event {
            TriggerEvent::PoolBelow | TriggerEvent::PoolAbove => {
                more += &format!(", pool = \"health\", share = {}", trigger.share);
            }
            TriggerEvent::StacksReached => more += &format!(", stacks = {}", trigger.stacks),
            _ => {}
        }
        let mut when: Vec<String> = Vec::new();
        when.extend(trigger.above.map(|above| format!("self.health.share > {above}")));
        when.extend(trigger.amount.map(|amount| format!("amount > {amount}")));
        when.extend(trigger.cut.then(|| "hit.cut".to_owned()));
        if !when.is_empty() {
            more += &format!(", when = \"{}\"", when.join(" and "));
        }
        let _ = writeln!(out, "on = [{{ event = \"{event}\"{more}, cooldown = {cooldown}, does = [{does}] }}]");
    }
}

fn abilities(world: &World, out: &mut String) {
    for (index, ability) in world.abilities.iter().enumerate() {
        let [cast, recovery, cooldown] = ability.times.map(seconds);
        let mut targets = format!("side = \"{}\"", ability.side.name());
        let pick = match ability.pick {
            Pick::First => "",
            Pick::Weakest => ", pick = \"weakest\"",
            Pick::Strongest => ", pick = \"strongest\"",
            Pick::Nearest => ", pick = \"nearest\"",
            Pick::Farthest => ", pick = \"farthest\"",
            Pick::Policy => ", pick = \"policy\"",
            Pick::Lowest(false) => ", pick = { lowest = \"target.might\" }",
            Pick::Lowest(true) => ", pick = { lowest = \"target.shell\" }",
        };
        targets.push_str(pick);
        match ability.area {
            Area::None => {}
            Area::Radius(radius) => targets += &format!(", radius = {radius}"),
            Area::Around(radius) => targets += &format!(", around = \"caster\", radius = {radius}"),
            Area::Cone(degrees, length) => targets += &format!(", cone = {degrees}, length = {length}"),
            Area::Line(width, length) => targets += &format!(", line = {width}, length = {length}"),
            Area::Chain(within) => targets += &format!(", chain = {within}"),
        }
        if let Some(count) = ability.count {
            targets += &format!(", count = {count}");
        }
        if ability.defeated {
            targets += ", state = \"defeated\"";
        }
        let does: Vec<String> = ability.does.iter().map(|one| effect_on(*one)).collect();
        let _ = writeln!(out, "[ability.a{index}]\ncast = {cast}\nrecovery = {recovery}\ncooldown = {cooldown}");
        let _ = writeln!(out, "targets = {{ {targets} }}\ndoes = [{}]", does.join(", "));
        if ability.cost > 0.0 {
            let _ = writeln!(out, "cost = {{ wind = {} }}", ability.cost);
        }
        if let Some((most, regain)) = ability.charges {
            let _ = writeln!(out, "charges = {{ max = {most}, regain = {} }}", seconds(regain));
        }
        if let Some(uses) = ability.uses {
            let _ = writeln!(out, "uses = {uses}");
        }
        if let Some(reach) = ability.reach {
            let _ = writeln!(out, "reach = {reach}");
        }
        let mut key = |key: &str, value: Option<String>| {
            value.map(|value| writeln!(out, "{key} = {value}"));
        };
        key("travel", ability.travels.then(|| TRAVEL.to_string()));
        key("tags", Some(format!("[\"{}\"]", tag(ability.loud))));
        key("unlock", condition(ability.unlock).map(|unlock| format!("\"{unlock}\"")));
        key("mobile", ability.mobile.then(|| "true".to_owned()));
        key("cost_at", ability.pays_at_release.then(|| "\"release\"".to_owned()));
        key("refund", (ability.refund > 0.0).then(|| ability.refund.to_string()));
        let counts = match ability.counts {
            Counts::Start => Some("\"start\""),
            Counts::Release => None,
            Counts::End => Some("\"end\""),
        };
        key("cooldown_from", counts.map(str::to_owned));
        let releases =
            ability.releases.map(|(count, every)| format!("{{ count = {count}, every = {} }}", seconds(every)));
        key("releases", releases);
        let shares = ability.shares.map(|time| match time {
            None => "\"bells\"".to_owned(),
            Some(time) => format!("{{ name = \"bells\", time = {} }}", seconds(time)),
        });
        key("shared_cooldown", shares);
        let after =
            ability.after.map(|(after, within)| format!("{{ ability = \"a{after}\", within = {} }}", seconds(within)));
        key("after", after);
        key("slot", ability.slot.map(|slot| format!("\"slot{slot}\"")));
        key("sustain", ability.sustain.as_ref().map(sustain));
        key("during", ability.during.map(|status| format!("[\"s{status}\"]")));
    }
}

fn tag(loud: bool) -> &'static str {
    if loud { "loud" } else { "soft" }
}

fn sustain(sustain: &Sustain) -> String {
    let does: Vec<String> = sustain.does.iter().map(|one| effect_on(*one)).collect();
    let mut keys = format!("every = {}, does = [{}]", seconds(sustain.every), does.join(", "));
    keys += &sustain.longest.map_or(String::new(), |longest| format!(", longest = {}", seconds(longest)));
    keys += &sustain.above.map_or(String::new(), |above| format!(", while = \"self.health.share > {above}\""));
    if sustain.cost > 0.0 {
        keys += &format!(", cost = {{ wind = {} }}", sustain.cost);
    }
    format!("{{ {keys} }}")
}

fn condition(when: When) -> Option<String> {
    Some(match when {
        When::Always => return None,
        When::HealthAtMost(share) => format!("self.health.share <= {share}"),
        When::WindAtLeast(wind) => format!("self.wind >= {wind}"),
        When::TargetAtMost(share) => format!("target.health.share <= {share}"),
        When::Without(status) => format!("not has(self, s{status})"),
        When::Count(side, None, least) => format!("count({}) >= {least}", side.name()),
        When::Count(side, Some(within), least) => format!("count({}, {within}) >= {least}", side.name()),
        When::Near(metres) => format!("distance <= {metres}"),
        When::Wears(piece) => format!("has(self, g{piece})"),
        When::Level(level) => format!("self.level >= {level}"),
    })
}

fn one(world: &World, index: usize, character: &Character, out: &mut String) {
    let line = |(uses, when): &(Uses, When)| {
        let when = condition(*when).map_or(String::new(), |when| format!(", when = \"{when}\""));
        let uses = match uses {
            Uses::One(ability) => format!("ability = \"a{ability}\""),
            Uses::Tagged(loud) => format!("tag = \"{}\"", tag(*loud)),
        };
        format!("{{ {uses}{when} }}")
    };
    let named = |all: &[usize]| all.iter().map(|ability| format!("\"a{ability}\"")).collect::<Vec<_>>().join(", ");
    let (all, learned) = (named(&character.abilities), named(&character.can_learn));
    let mut lines: Vec<String> = character.lines.iter().map(line).collect();
    if let Some((count, by_weight)) = character.group {
        let count = count.min(lines.len());
        let weighed = |(index, line): (usize, &String)| {
            let weight = if by_weight { format!(", weight = {}", weight(index)) } else { String::new() };
            line.replace(" }", &format!("{weight} }}"))
        };
        let group: Vec<String> = lines[..count].iter().enumerate().map(weighed).collect();
        let choose = if by_weight { "weighted" } else { "random" };
        lines.splice(..count, [format!("{{ choose = \"{choose}\", use = [{}] }}", group.join(", "))]);
    }
    let mut gear: Vec<String> = character.gear.iter().map(|piece| format!("\"g{piece}\"")).collect();
    gear.extend(character.perhaps.map(|(piece, likely)| format!("{{ piece = \"g{piece}\"{} }}", chance(Some(likely)))));
    let moves = if world.ground == Ground::Walked { "" } else { "move = \"hold\"\n" };
    let target = if world.threat { "target = \"threat\"\n" } else { "" };
    let reaction = seconds(character.reaction);
    let _ = writeln!(out, "[policy.p{index}]\nreaction = {reaction}\n{moves}{target}use = [{}]", lines.join(", "));
    let Character { might, guard, vigour, body, reward, has_shell, .. } = character;
    let might = if world.levels { format!("\"{might} + level - 1\"") } else { might.to_string() };
    for (name, feet) in [("c", 0.0), ("w", SPEED)] {
        let _ = writeln!(
            out,
            "[character.{name}{index}]\npolicy = \"p{index}\"\nabilities = [{all}]\ncan_learn = [{learned}]"
        );
        if let Some(allies_too) = character.untargetable {
            let _ = writeln!(out, "untargetable = \"{}\"", if allies_too { "everyone" } else { "enemies" });
        }
        let _ = writeln!(out, "gear = [{}]\nbody = {body}", gear.join(", "));
        let _ = writeln!(out, "attributes = {{ might = {might}, guard = {guard}, vigour = {vigour}, feet = {feet} }}");
        let statuses: Vec<String> = character.statuses.iter().map(|status| format!("\"s{status}\"")).collect();
        let immune = if character.immune { "\"wet\"" } else { "" };
        if world.points {
            let _ = writeln!(out, "spends = [\"brawn\", \"calm\"]");
        }
        let _ = writeln!(out, "level = {}\nstatuses = [{}]\nimmune = [{immune}]", character.level, statuses.join(", "));
        if *reward > 0.0 {
            let _ = writeln!(out, "reward = {reward}");
        }
        if !has_shell {
            let _ = writeln!(out, "pools = [\"health\", \"wind\"]");
        }
        if world.ground != Ground::Walked {
            break;
        }
    }
}

fn encounter(world: &World, out: &mut String) {
    let side = |number: usize| {
        let member = |one: &super::world::Member| {
            let walks = number == 0 && world.ground == Ground::Walked;
            let mut keys = format!("character = \"{}{}\"", if walks { "w" } else { "c" }, one.character);
            match one.joins {
                Joins::AtOnce => {}
                Joins::At(at) => keys += &format!(", joins = {}", seconds(at)),
                Joins::Called => keys += ", joins = \"called\"",
            }
            if one.vital {
                keys += ", vital = true";
            }
            if let Some(health) = one.health {
                keys += &format!(", start = {{ health = {health} }}");
            }
            if let Some(status) = one.begins_with {
                keys += &format!(", statuses = [\"s{status}\"]");
            }
            if world.is_placed() {
                keys += &format!(", at = [{}, {}]", one.at[0], one.at[1]);
            }
            format!("{{ {keys} }}")
        };
        world.sides[number].iter().map(member).collect::<Vec<_>>().join(", ")
    };
    let limit = LIMIT / 1_000_000;
    let _ = writeln!(out, "[encounter.e]\nsides.l = [{}]\nsides.r = [{}]\ntime_limit = {limit}", side(0), side(1));
    if let Some(side) = world.at_limit {
        let _ = writeln!(out, "at_limit = \"{}\"", ["l", "r"][side]);
    }
    let entry = |one: &super::world::Scripted| {
        let every = one.every.map_or(String::new(), |every| format!(", every = {}", seconds(every)));
        let times = one.times.map_or(String::new(), |times| format!(", times = {times}"));
        let by = ["l", "r"][one.by];
        format!("{{ at = {}, ability = \"a{}\", by = \"{by}\"{every}{times} }}", seconds(one.at), one.ability)
    };
    let _ = writeln!(out, "script = [{}]", world.script.iter().map(entry).collect::<Vec<_>>().join(", "));
}
