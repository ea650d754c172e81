"""Who is who: faces of one sitter come together, and nobody is twice on a picture."""

import json
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from retouch.faces.traits import LENGTH, SPANS, spans
from retouch.faces.who import distances, groups

AGAIN = json.loads((Path(__file__).parents[2] / "demo" / "again.json").read_text())
"""Traits of people on several pictures each; nothing was fitted to those called Chance."""


def people(chance: bool):
    rows = [(name, row) for name, rows in AGAIN.items() if name.startswith("Chance") == chance for row in rows]
    return [name for name, _ in rows], [row for _, row in rows]


def shares(names, labels):
    """Of pairs that were put together, how many belong together; and of those that do, how many were."""
    pairs = list(combinations(range(len(names)), 2))
    one = {p for p in pairs if names[p[0]] == names[p[1]]}
    put = {p for p in pairs if labels[p[0]] == labels[p[1]]}
    return len(one & put) / len(put), len(one & put) / len(one)


@pytest.mark.parametrize(("chance", "right", "found"), [(False, 0.7, 0.9), (True, 0.8, 0.65)])
def test_people_who_come_again_are_put_together(chance, right, found):
    names, rows = people(chance)
    precision, recall = shares(names, groups(rows, range(len(rows))))
    assert precision >= right
    assert recall >= found


def test_two_pictures_of_one_are_nearly_always_nearer_than_those_of_two_strangers():
    names, rows = people(chance=True)
    apart = distances(rows)
    same = [apart[a, b] for a, b in combinations(range(len(names)), 2) if names[a] == names[b]]
    other = [apart[a, b] for a, b in combinations(range(len(names)), 2) if names[a] != names[b]]
    assert np.mean([s < o for s in same for o in other]) >= 0.97


@given(st.floats(0.2, 5), st.floats(-1, 1), st.floats(-0.6, 0.6))
def test_neither_size_nor_turn_of_a_head_changes_how_it_is_built(size, shift, turn):
    rng = np.random.default_rng(3)
    head = rng.random((478, 3))
    cos, sin = np.cos(turn), np.sin(turn)
    turned = size * head @ np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]]).T + shift
    np.testing.assert_allclose(spans(turned[:, :2], turned[:, 2]), spans(head[:, :2], head[:, 2]), atol=1e-6)


def test_nobody_is_twice_on_a_picture_and_who_is_known_stays():
    twins = [[0.1] * LENGTH] * 4
    labels = groups(twins, ["one", "one", "two", "two"])
    assert labels[0] != labels[1]
    assert labels[2] != labels[3]
    # The first is said to be number 5: one of the other picture is as well, and its neighbour cannot be.
    told = groups(twins, ["one", "one", "two", "two"], [5, None, None, None])
    assert told[0] == 5
    assert sorted(told[2:]).count(5) == 1
    assert told[1] != 5
    assert groups([], []) == []


def test_what_is_not_known_of_a_face_says_nothing():
    known = [0.0] * len(SPANS) + [0.5, 0.02, 0.03] * 4
    unknown = [None] * len(SPANS) + known[len(SPANS) :]
    nothing = [None] * LENGTH
    assert groups([known, unknown, nothing], "abc") == [0, 0, 1]
