"""Rules that cannot all hold: a smallest set of them, each needed for the clash.

Order rules are tried by a constraint solver over places (OR-Tools CP-SAT); a limit on dead air needs the
planner itself. A set is made smallest by leaving out one rule after another (deletion filter).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from juxtatune.core.planning.model.plan import played_count
from juxtatune.core.repertoire.night import Gig, Pin, with_open_rules
from juxtatune.core.repertoire.rules import Rule, rules_of, with_rules


def _with_rules(gig: Gig, rules: list[Rule]) -> Gig:
    return replace(gig, night=with_rules(gig.night, rules))


def sizes_clash(gig: Gig) -> bool:
    return sum(part.songs for part in gig.night.parts) != len(gig.songs)


def going_round(gig: Gig) -> tuple[Rule, ...]:
    """The fewest rules that put a song still to be played before itself, without a solver; () for none."""
    past = set(gig.night.now.played) if gig.night.now else set()
    steps = [r for r in rules_of(gig.night) if r.kind in ("before", "adjacent") and past.isdisjoint(r.songs)]
    rounds = (_round(first, steps) for first in steps)
    return min((found for found in rounds if found), key=len, default=())


def _round(first: Rule, steps: list[Rule]) -> tuple[Rule, ...]:
    """The shortest way from the end of a rule back to its beginning, that rule included; () for none."""
    ways: list[tuple[Rule, ...]] = [(first,)]
    reached = {first.songs[1]}
    for way in ways:
        if way[-1].songs[1] == first.songs[0]:
            return way
        onward = [r for r in steps if r.songs[0] == way[-1].songs[1] and r.songs[1] not in reached]
        reached |= {r.songs[1] for r in onward}
        ways += [(*way, r) for r in onward]
    return ()


def order_clash(gig: Gig) -> list[Rule] | None:
    """A smallest set of order rules that cannot hold together; None when there is none."""
    if sizes_clash(gig):
        return [Rule("part_sizes")]
    gig = with_open_rules(gig)
    rules = rules_of(gig.night)
    if can_be_ordered(gig, rules):
        return None
    return deletion_filter(rules, lambda some: can_be_ordered(gig, some))


def limit_clash(gig: Gig, holds: Callable[[Gig], bool]) -> list[Rule]:
    """A smallest set with the limit on dead air, given that all rules together cannot hold.

    `holds` plans a gig and says whether there is a plan; a timeout must count as True.
    """
    gig = with_open_rules(gig)
    rules = [*rules_of(gig.night), Rule("max_dead_s")]
    return deletion_filter(rules, lambda some: holds(_with_rules(gig, some)))


def deletion_filter(rules: list[Rule], holds: Callable[[list[Rule]], bool]) -> list[Rule]:
    """Leaves out every rule without which the rest still clash; big bites first."""
    kept = list(rules)
    bite = max(1, len(kept) // 2)
    while True:
        k = 0
        while k < len(kept):
            rest = kept[:k] + kept[k + bite :]
            if len(rest) < len(kept) and not holds(rest):
                kept = rest
            else:
                k += bite
        if bite == 1:
            return kept
        bite = max(1, bite // 2)


def can_be_ordered(gig: Gig, rules: list[Rule]) -> bool:
    """True when some order keeps these rules; only songs that a rule names are placed, the rest fill up."""
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    part = gig.part_of_place()
    first = played_count(gig)
    played = gig.night.now.played if gig.night.now else ()
    named = sorted({s for r in rules for s in r.songs})
    at = {s: model.new_int_var(0, len(part) - 1, s) for s in named}
    inside = {}
    for s in named:
        if s in played:
            model.add(at[s] == played.index(s))
        else:
            model.add(at[s] >= first)
        inside[s] = model.new_int_var(0, max(part), f"part of {s}")
        model.add_element(at[s], part, inside[s])
    model.add_all_different(list(at.values()))
    for rule in rules:
        _add_rule(model, gig, rule, at, inside)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.max_time_in_seconds = 2.0
    return solver.solve(model) != cp_model.INFEASIBLE


def _add_rule(model, gig, rule, at, inside) -> None:  # type: ignore[no-untyped-def]
    match rule.kind:
        case "pin":
            model.add(at[rule.songs[0]] == gig.place_of_pin(Pin(rule.songs[0], rule.part, rule.place)))
        case "before":
            model.add(at[rule.songs[0]] + 1 <= at[rule.songs[1]])
        case "adjacent":
            model.add(at[rule.songs[1]] == at[rule.songs[0]] + 1)
            model.add(inside[rule.songs[0]] == inside[rule.songs[1]])
        case "apart":
            a, b = rule.songs
            next_to = model.new_bool_var("")
            together = model.new_bool_var("")
            step = model.new_int_var(-len(gig.songs), len(gig.songs), "")
            model.add(step == at[a] - at[b])
            size = model.new_int_var(0, len(gig.songs), "")
            model.add_abs_equality(size, step)
            model.add(size == 1).only_enforce_if(next_to)
            model.add(size != 1).only_enforce_if(~next_to)
            model.add(inside[a] == inside[b]).only_enforce_if(together)
            model.add(inside[a] != inside[b]).only_enforce_if(~together)
            model.add_bool_or([~next_to, ~together])
