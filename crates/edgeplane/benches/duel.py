"""The demo's duel as a designer would script it: objects, dictionaries, a list of things to come.

Prints nanoseconds for a fight. Usage: duel.py FIGHTS
"""
import heapq
import random
import sys
import time


class Fighter:
    def __init__(self, name, attributes, abilities):
        self.name = name
        self.attributes = attributes
        self.max_health = 60 + 14 * attributes["grit"]
        self.max_breath = 50 + attributes["grit"]
        self.health = self.max_health
        self.breath = self.max_breath
        self.breath_since = 0.0
        self.shell = 0.0
        self.shell_since = 0.0
        self.abilities = abilities
        self.ready = {name: 0.0 for name in abilities}
        self.casting = None

    def breath_at(self, now):
        return min(self.max_breath, self.breath + 3 * (now - self.breath_since))

    def shell_at(self, now):
        return max(0.0, self.shell - 2 * (now - self.shell_since))

    def spend(self, amount, now):
        self.breath = self.breath_at(now) - amount
        self.breath_since = now


ABILITIES = {
    "boathook": dict(cost=4, cooldown=1.4, cast=0.3, recovery=0.2, type="impact", spread=0.1,
                     damage=lambda c: 6 + c.attributes["heft"] * 0.9),
    "brace": dict(cost=0, cooldown=10, cast=0, recovery=0),
    "silt_spit": dict(cost=12, cooldown=5, cast=0.6, recovery=0, type="silt", spread=0,
                      damage=lambda c: 6 + c.attributes["heft"] * 0.9),
    "pincer": dict(cost=3, cooldown=1.6, cast=0.35, recovery=0, type="impact", spread=0.2,
                   damage=lambda c: 9 + c.attributes["heft"] * 0.8),
}

LOCKHAND = dict(heft=14, grit=10 + 12 * 2 / 9, guard=12, evasion=0.05, aim=0, crit_chance=0.1,
                crit_power=1.5, resist={"impact": 0, "silt": 0.2})
CRAB = dict(heft=16, grit=10, guard=15, evasion=0, aim=0, crit_chance=0.1,
            crit_power=1.5, resist={"impact": 0, "silt": 0.5})


def hit(caster, target, ability, now):
    amount = ability["damage"](caster)
    if ability["spread"]:
        amount *= 1 + ability["spread"] * (2 * random.random() - 1)
    if random.random() < target.attributes["evasion"] - caster.attributes["aim"]:
        return
    if random.random() < caster.attributes["crit_chance"]:
        amount *= caster.attributes["crit_power"]
    if ability["type"] == "impact":
        amount = amount * (200 - target.attributes["guard"]) / 200
    amount *= 1 - target.attributes["resist"][ability["type"]]
    shell = target.shell_at(now)
    soaked = min(shell, amount)
    target.shell, target.shell_since = shell - soaked, now
    target.health = max(0.0, target.health - (amount - soaked))


def choose(me, now, queue):
    wake = None
    for name in me.abilities:
        ability = ABILITIES[name]
        if name == "brace" and me.health / me.max_health >= 0.5:
            continue
        if me.ready[name] > now:
            wake = me.ready[name] if wake is None else min(wake, me.ready[name])
            continue
        missing = ability["cost"] - me.breath_at(now)
        if missing > 0:
            at = now + missing / 3 + 1e-6
            wake = at if wake is None else min(wake, at)
            continue
        me.spend(ability["cost"], now)
        me.casting = name
        heapq.heappush(queue, (now + ability["cast"], random.random(), "release", me))
        return
    heapq.heappush(queue, (wake, random.random(), "choose", me))


def release(me, other, now, queue):
    name, me.casting = me.casting, None
    ability = ABILITIES[name]
    me.ready[name] = now + ability["cooldown"]
    if name == "brace":
        me.shell = min(me.max_health / 2, me.shell_at(now) + 12 + me.attributes["grit"])
        me.shell_since = now
        me.breath = min(me.max_breath, me.breath_at(now) + 6)
        me.breath_since = now
    else:
        hit(me, other, ability, now)
    heapq.heappush(queue, (now + ability["recovery"], random.random(), "choose", me))


def duel():
    a = Fighter("lockhand", LOCKHAND, ["brace", "boathook"])
    b = Fighter("silt_crab", CRAB, ["silt_spit", "pincer"])
    queue = [(0.0, 0.0, "choose", a), (0.0, 0.5, "choose", b)]
    heapq.heapify(queue)
    while True:
        now, _, what, me = heapq.heappop(queue)
        if now > 60:
            return "time"
        if what == "choose":
            choose(me, now, queue)
        else:
            release(me, b if me is a else a, now, queue)
        if a.health <= 0 or b.health <= 0:
            return "silt" if b.health > 0 else "keepers"


def main():
    fights = int(sys.argv[1]) if len(sys.argv) > 1 else 3000
    random.seed(1)
    wins = 0
    started = time.perf_counter()
    for _ in range(fights):
        wins += duel() == "keepers"
    elapsed = time.perf_counter() - started
    print(f"{elapsed / fights * 1e9:.0f} ns a fight, keepers win {100 * wins / fights:.1f} %")


main()
