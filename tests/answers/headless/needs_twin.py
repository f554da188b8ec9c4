"""The Needs runs told a second time in plain pandas and loops, from the words of the format alone."""

import itertools
import math

import networkx as nx
import numpy as np
import pandas as pd

LACK = ("nearly", "not yet")


def latest(answers, first=None, last=None):
    """Lines of the latest sitting of each student and test; of one item twice in it the later line."""
    day = answers.tested_on.replace("", np.nan)
    frame = answers.assign(day=day)
    if first:
        frame = frame[frame.day >= first]
    if last:
        frame = frame[frame.day <= last]
    newest = frame.groupby(["student_id", "test"]).day.transform("max")
    # A sitting without any day is the only one there is.
    mine = frame[(frame.day == newest) | newest.isna()]
    return mine.drop_duplicates(["student_id", "test", "item"], keep="last")


def points_table(answers, items, test):
    """Points of each student (rows, first appearance) on each item, and the option chosen."""
    mine = latest(answers[answers.test == test])
    sat = set(answers[answers.test == test].student_id)
    students = [one for one in dict.fromkeys(answers.student_id) if one in sat]
    rows = items[items.test == test]
    keys = {row.item: row.key.split(";") for row in rows.itertuples()}
    worth = {row.item: float(row.points or 1) for row in rows.itertuples()}
    won = {item: dict.fromkeys(students, 0.0) for item in keys}
    chosen = {item: dict.fromkeys(students, "") for item in keys}
    for line in mine.itertuples():
        chosen[line.item][line.student_id] = line.option
        points = float(line.points) if line.points != "" else worth[line.item] * (line.option in keys[line.item])
        won[line.item][line.student_id] = points
    return pd.DataFrame(won, index=students), pd.DataFrame(chosen, index=students), keys, worth


def tied_share(rest, size, *, top):
    """How much of each student lies within the top or bottom ``size``, ties in equal parts."""
    order = rest.round(9)
    low, high = order.rank(method="min"), order.rank(method="max")
    n = len(rest)
    first, last = (n - size, n) if top else (0, size)
    return (np.minimum(high, last) - np.maximum(low - 1, first)).clip(lower=0) / (high - low + 1)


def item_rows(table, items, test):
    """``items.csv`` and ``options.csv`` of one test, from its ``points_table``."""
    won, chosen, keys, worth = table
    rows, options, n = [], [], len(won)
    dropped = {row.item: row.dropped == "true" for row in items[items.test == test].itertuples()}
    live = [item for item in won if not dropped[item]]
    for row in items[items.test == test].itertuples():
        item, mine = row.item, won[row.item] / worth[row.item]
        rest = won[[one for one in live if one != item]].sum(axis=1)
        told = [one for one in row.options.split(";") if one]
        told += sorted({*keys[item], *(set(chosen[item]) - {""})} - set(told))
        third = max(1, math.floor(n / 3 + 0.5))
        top, bottom = (tied_share(rest, third, top=way) if n > third else rest * 0 + 1 for way in (True, False))
        count = {one: int((chosen[item] == one).sum()) for one in [*told, ""]}
        best = {one: float(top[chosen[item] == one].sum()) for one in count}
        for one in told + ([""] if count[""] else []):
            least = float(bottom[chosen[item] == one].sum())
            options.append((test, item, one, one in keys[item], count[one], count[one] / n, best[one], least))
        full = int((mine > 1 - 1e-9).sum())
        line = {"item": item, "n": n, "answered": n - count[""], "right_n": full, "flags": [], "shared_option": ""}
        rows.append(line)
        if dropped[item]:
            continue
        if n >= 10:
            line["difficulty"] = float(mine.mean())
            others = (won[live] / [worth[one] for one in live]).sum(axis=1) - mine
            if mine.std() > 0 and others.std() > 0:
                line["discrimination"] = float(np.corrcoef(mine, others)[0, 1])
            size = max(1, math.floor(0.27 * n + 0.5))
            ends = [(tied_share(rest, size, top=way) * mine).sum() / size for way in (True, False)]
            line["upper_lower"] = float(ends[0] - ends[1])
            wrong = [one for one in told if one not in keys[item]]
            by_key = chosen[item].isin(keys[item])
            if by_key.any() and any(
                best[one] >= sum(best[key] for key in keys[item]) + 2 - 1e-9
                and rest[chosen[item] == one].mean() > rest[by_key].mean()
                for one in wrong
            ):
                line["flags"].append("check_key")
            all_wrong = sum(count[one] for one in wrong)
            shared = [one for one in wrong if count[one] >= 0.3 * n and count[one] >= 0.5 * all_wrong and count[one]]
            if len(told) >= 3 and shared:
                line["flags"].append("shared_mistake")
                line["shared_option"] = max(shared, key=lambda one: (count[one], -told.index(one)))
            if n >= 30 and line.get("discrimination", 1) < 0.10:
                line["flags"].append("does_not_tell")
        line["flags"] += ["nobody_wrong"] * (full == n) + ["nobody_right"] * (full == 0)
    return rows, options


def alpha(table, items, test):
    """Cronbach's alpha from the covariance matrix of the shares of points, from a test's ``points_table``."""
    won, _, _, worth = table
    live = [row.item for row in items[items.test == test].itertuples() if row.dropped != "true"]
    spread = (won[live] / [worth[one] for one in live]).cov().to_numpy()
    k = len(live)
    return k / (k - 1) * (1 - np.trace(spread) / spread.sum())


def states(answers, items, entries, standards, first=None, last=None, limits=(80, 60, 3)):
    """State of each student on each standard, what counts for it, and the points missed."""
    students = list(dict.fromkeys([*answers.student_id, *entries.student_id]))
    pieces, missed = {}, {}
    rows = list(items.itertuples())
    kept = latest(answers, first, last)
    by_place = {(line.student_id, line.test, line.item): line for line in kept.itertuples()}
    sat = {}
    for line in kept.itertuples():
        sat[line.student_id, line.test] = line.tested_on
    for student, standard in itertools.product(students, standards):
        won = possible = count = 0
        days = []
        for item in rows:
            if (student, item.test) not in sat or item.dropped == "true" or standard not in item.standards.split(";"):
                continue
            worth = float(item.points or 1)
            line = by_place.get((student, item.test, item.item))
            if line is not None:
                right = worth * (line.option in item.key.split(";"))
                won += float(line.points) if line.points != "" else right
            possible, count = possible + worth, count + 1
            days.append(sat[student, item.test])
        if count:
            percent = 100 * won / possible
            word = "mastered" if percent >= limits[0] - 1e-9 else "nearly" if percent >= limits[1] - 1e-9 else "not yet"
            word = word if count >= limits[2] else "thin evidence"
            pieces.setdefault((student, standard), []).append(
                (max(days), 0, -1, word, percent, won, possible, "points")
            )
            if possible - won > 1e-9:
                missed[student, standard] = possible - won
    for at, line in enumerate(entries.itertuples()):
        if line.state == "" or (first and line.on < first) or (last and line.on > last):
            continue
        pieces.setdefault((line.student_id, line.standard), []).append(
            (line.on, 1, at, line.state, "", "", "", line.source)
        )
    found = {}
    for place, mine in pieces.items():
        telling = [one for one in mine if one[3] != "thin evidence"] or mine
        found[place] = (*max(telling, key=lambda one: one[:3]), len(mine) - 1)
    return students, found, missed


def ways(students, found, graph, kept):
    """``paths.csv``: the unmastered ground of each lacking standard, deepest first."""
    depth = {}
    for node in nx.topological_sort(graph):
        depth[node] = 1 + max((depth[below] for below in graph.predecessors(node)), default=-1)
    rows = []
    for student, standard in itertools.product(students, kept):
        if found.get((student, standard), ("",) * 4)[3] not in LACK:
            continue
        steps = [one for one in nx.ancestors(graph, standard) | {standard}
                 if found.get((student, one), ("",) * 4)[3] != "mastered"]  # fmt: skip
        steps.sort(key=lambda one: (depth[one], one))
        rows += [(student, standard, place, one, (student, one) in found) for place, one in enumerate(steps, start=1)]
    return rows
