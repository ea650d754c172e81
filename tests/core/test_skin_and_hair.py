"""What tells skin from hair: features that are relative to a face, trees, and what hangs together."""

import json
from functools import cache

import cv2
import numpy as np
import pytest
from scipy.ndimage import correlate, uniform_filter
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra
from scipy.special import softmax

from bench.finding import GUESTS, Memory, overlap, truth_of
from demo.sitters.cast import CHOIR
from demo.sitters.guests import GUESTS as PEOPLE
from demo.sitters.rehearsal import figure, sitter
from retouch.faces import mesh, skin_hair, strands
from retouch.faces.found import Found
from retouch.faces.relative import Seen, measured, spread
from retouch.faces.skin_hair import _hanging_together, lined, skin_and_hair, sure
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.segment.guided import followed
from retouch.segment.net import Net
from retouch.segment.trees import Trees
from tests.core.test_found import face_points, painted_face
from tests.finding import find_kept

HARD = {
    "Guest 1": ("skin", "hair"),  # white hair, pale wall
    "Guest 12": ("skin", "hair"),  # bare shoulders, fair hair, leather
    "Guest 15": ("skin", "hair"),  # flash, orange shirt
    "Guest 28": ("skin", "hair"),  # a collar of skin's own colour, wood
}


@cache
def guest(name):
    original = read(GUESTS / "pictures" / f"{name}.jpg")
    picture = Memory(original.to_working(original.raw))
    with np.load(GUESTS / "labels" / f"{name}.npz") as stored:
        return picture, find_kept(picture), {kind: stored[kind] for kind in stored}


@pytest.mark.slow
@pytest.mark.parametrize(("name", "what"), [(name, what) for name, parts in HARD.items() for what in parts])
def test_people_whom_nothing_was_made_for_are_found(name, what):
    picture, found, labels = guest(name)
    height, width = labels["skin"].shape
    answer = found.coverage(what, 1, Frame.whole(width, height), picture.read) > 0.5
    assert overlap(answer, truth_of(labels, what, 1)) > {"skin": 0.8, "hair": 0.7}[what]


@pytest.mark.slow
def test_a_bald_mans_beard_is_found_strand_by_strand():
    picture, found, labels = guest("Guest 8")
    height, width = labels["hair"].shape
    answer = found.coverage("hair", 1, Frame.whole(width, height), picture.read) > 0.5
    assert overlap(answer, truth_of(labels, "hair", 1)) > 0.68


def test_nobody_of_the_guests_sings_in_the_choir_or_was_taught_on():
    seeds = {who.seed for guest in PEOPLE for who in (guest, *guest.beside)}
    assert not seeds & {who.seed for one in CHOIR for who in (one, *one.beside)}
    assert not seeds & {who(number).seed for who in (sitter, figure) for number in range(1, 1000)}


def test_trees_add_up_to_the_softmax_of_their_leaves():
    """Two classes; class 0 is split at 0.5 by the second feature, class 1 is one leaf in each round."""
    trees = Trees(
        start=np.array([0.1, -0.2], np.float32),
        roots=np.array([[0, 4], [3, 7]], np.int32),
        feature=np.array([1, -1, -1, -1, 0, -1, -1, -1], np.int16),
        limit=np.array([0.5, 1.0, -1.0, 0.25, 2.0, 0.5, 3.0, 0.0], np.float32),
        below=np.array([1, 0, 0, 0, 5, 0, 0, 0], np.int32),
        over=np.array([2, 0, 0, 0, 6, 0, 0, 0], np.int32),
    )
    scores = {(0.0, 0.5): 0.1 + 1.0 + 0.5, (9.0, 0.5): 0.1 + 1.0 + 3.0, (9.0, 0.6): 0.1 - 1.0 + 3.0}
    likely = trees.likely(np.array(list(scores), np.float32))
    expected = [1 / (1 + np.exp(0.05 - score)) for score in scores.values()]
    assert np.allclose(likely[:, 0], expected, atol=1e-6)
    assert np.allclose(likely.sum(1), 1)


@pytest.fixture
def forms(tmp_path):
    """A network of three features, two classes and maps of two sizes, its weights by chance, kept in its file."""
    rng = np.random.default_rng(8)

    def layer(*shape):
        # What half precision holds exactly.
        return np.round(rng.normal(0, 0.3, shape) * 64) / 64, rng.normal(0, 0.2, shape[-1])

    net = Net(
        rng.normal(0, 1, 3), rng.uniform(1, 2, 3), layer(4, 3), [layer(3, 3, 3, 3), layer(3, 3, 3, 5),
        layer(3, 3, 5, 5)], [layer(3, 3, 8, 3)], layer(3, 2),
    )  # fmt: skip
    net.save(tmp_path / "net.npz")
    return net, Net.load(tmp_path / "net.npz"), rng


def test_a_network_is_its_layers(forms):
    """Against correlations by scipy, on a map whose sides are odd."""
    net, kept, rng = forms
    maps, there = rng.normal(0, 2, (7, 9, 3)), rng.random((7, 9)) > 0.2

    def over(values, layer):
        weights, added = layer
        planes = [sum(correlate(values[..., i], weights[..., i, o], mode="constant") for i in range(values.shape[-1]))
                  for o in range(len(added))]  # fmt: skip
        return np.maximum(np.stack(planes, -1) + added, 0)

    known = np.pad(np.dstack([np.clip((maps - net.mean) / net.spread, -4, 4), np.ones((7, 9))]) * there[..., None],
                   ((0, 1), (0, 1), (0, 0)))  # fmt: skip
    large = over(np.maximum(known @ net.first[0] + net.first[1], 0), net.down[0])
    small = uniform_filter(large, (2, 2, 1), origin=(-1, -1, 0))[::2, ::2]
    small = over(over(small, net.down[1]), net.down[2])
    out = over(np.dstack([large, np.kron(small, np.ones((2, 2, 1)))]), net.up[0])
    expected = softmax(out @ net.last[0] + net.last[1], axis=-1)[:7, :9]
    assert np.allclose(kept.likely(maps.astype(np.float32), there), expected, atol=1e-5)


def test_a_network_does_not_see_what_is_nobodys(forms):
    _, net, rng = forms
    maps, there = rng.normal(0, 2, (8, 8, 3)).astype(np.float32), np.arange(64).reshape(8, 8) % 8 < 5
    other = np.where(there[..., None], maps, np.float32(9))
    assert np.array_equal(net.likely(maps, there), net.likely(other, there))


def test_half_a_map_holds_the_means_of_what_is_there():
    there = np.zeros((6, 7), bool)
    there[1:4, 2:5] = True
    values = np.arange(18, dtype=np.float32).reshape(9, 2)
    maps, half, box = Seen(values, there).halved()
    assert (box, half.shape) == ((slice(1, 4), slice(2, 5)), (2, 2))
    assert half.all()
    # Pixels 0, 1, 3, 4 of the nine; then 2, 5; 6, 7; and the last alone.
    assert maps[..., 0].tolist() == [[4.0, 7.0], [13.0, 16.0]]


def test_ways_over_colour_are_the_shortest():
    """Against Dijkstra's algorithm on the graph of eight neighbours."""
    rng = np.random.default_rng(4)
    colour = cv2.GaussianBlur(rng.random((14, 17, 3)).astype(np.float32), (0, 0), 1.5) * 3
    seeds = np.zeros((14, 17), bool)
    seeds[3, 4] = seeds[11, 14] = True
    away = np.where(seeds, np.float32(0), np.float32(60))
    spread(colour, np.zeros((14, 17), np.float32), away, np.float32(0.05))
    number = np.arange(14 * 17).reshape(14, 17)
    rows, columns, costs = [], [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a = number[: 14 - dy, max(0, -dx) : 17 - max(0, dx)].ravel()
        b = a + 17 * dy + dx
        cost = 0.05 + np.abs(colour.reshape(-1, 3)[a] - colour.reshape(-1, 3)[b]).sum(1)
        rows, columns, costs = [*rows, a, b], [*columns, b, a], [*costs, cost, cost]
    graph = coo_array((np.concatenate(costs), (np.concatenate(rows), np.concatenate(columns))))
    exact = dijkstra(graph.tocsr(), indices=number[seeds], min_only=True).reshape(14, 17)
    assert np.allclose(away, exact, atol=1e-4)


def whole_face():
    """Landmarks with an oval and brows too."""
    points = face_points()
    turn = np.linspace(0, 2 * np.pi, len(mesh.OVAL), endpoint=False)
    points[list(mesh.OVAL)] = np.stack([100 + 60 * np.sin(turn), 100 - 90 * np.cos(turn)], axis=-1)
    for numbers, x in zip(mesh.BROWS, (60, 140), strict=True):
        turn = np.linspace(0, 2 * np.pi, len(numbers), endpoint=False)
        points[list(numbers)] = np.stack([x + 22 * np.cos(turn), 58 + 4 * np.sin(turn)], axis=-1)
    return points


def test_features_do_not_depend_on_the_pictures_size():
    own = np.zeros((200, 200), np.float32)
    cv2.ellipse(own, (100, 100), (75, 96), 0, 0, 360, 1.0, -1)
    lab = painted_face()
    lab += cv2.GaussianBlur(np.random.default_rng(1).normal(0, 0.2, lab.shape).astype(np.float32), (0, 0), 3)

    def at(scale):
        size = (200 * scale, 200 * scale)
        larger = (cv2.resize(v, size, interpolation=cv2.INTER_LINEAR) for v in (lab, own))
        return measured(next(larger), scale * whole_face(), next(larger))

    one, two = at(2), at(4)
    assert one.values.shape[1] == two.values.shape[1]
    assert np.isfinite(one.values).all()
    # Place, colour and colour models; structure sees finer things on the finer picture.
    assert abs(len(one.values) / len(two.values) - 1) < 0.03
    assert np.abs(np.median(one.values[:, :8], 0) - np.median(two.values[:, :8], 0)).max() < 0.06


def test_a_face_without_bare_skin_is_not_measured():
    assert measured(painted_face(), whole_face(), np.zeros((200, 200), np.float32)) is None


@pytest.mark.parametrize(("likely", "there"), [(0.9, True), (0.6, False)])
def test_hair_that_is_a_mere_guess_is_not_handed_out(monkeypatch, likely, there):
    class Model:
        def likely(self, values, there=None):
            return np.broadcast_to(np.float32([0, likely, 1 - likely, 0]), (*values.shape[:-1], 4))

    monkeypatch.setattr(skin_hair, "trees", Model)
    monkeypatch.setattr(skin_hair, "net", Model)
    _, hair, _ = skin_and_hair(painted_face(), whole_face(), np.ones((200, 200), np.float32))
    assert (hair > 0.5).any() == there


def test_strands_finer_than_the_map_come_out_as_fine_as_the_picture_is():
    hairs = (np.random.default_rng(4).random((160, 160)) < 0.4).astype(np.float32)
    skin, hair = np.float32([0.8, 0.6, 0.5]), np.float32([0.3, 0.2, 0.15])
    picture = skin + hairs[..., None] * (hair - skin)
    # Where both are means of the same pixels, what is likely is a line of the colour: so it is at every pixel.
    coarse = [cv2.resize(v, (40, 40), interpolation=cv2.INTER_AREA) for v in (hairs, picture)]
    line = cv2.resize(lined(*coarse, whole_face() / 4), (160, 160), interpolation=cv2.INTER_NEAREST)
    assert np.abs(followed(line, picture) - hairs).max() < 0.02


def test_colours_near_by_are_those_of_what_is_there_and_reach_where_it_is_not():
    hair = np.zeros((100, 100), np.float32)
    hair[:, :30] = 1
    colours = np.where(hair[..., None] > 0, np.float32([-1.5, 0.01, 0.03]), np.float32([-0.4, 0.05, 0.06]))
    for likely in (hair, 1 - hair):
        expected = colours[likely > 0][0]
        assert np.abs(strands.usual(colours, likely, whole_face() / 2) - expected).max() < 0.02


def test_hair_is_in_doubt_at_its_edge_and_nowhere_without_any():
    likely = np.repeat(np.linspace(0, 1, 50, dtype=np.float32)[None], 4, axis=0)
    told, own = np.dstack([1 - likely, likely, 0 * likely]), np.ones((4, 50), np.float32)
    doubt = strands.doubtful(told, told[..., :2], own)
    assert doubt[:, 10:40].all()
    assert not doubt[:, [0, 1, -2, -1]].any()
    assert not strands.doubtful(0.4 * told, 0.4 * told[..., :2], own).any()


def test_what_is_not_in_doubt_stays_to_the_bit_and_what_is_is_told_twice(monkeypatch):
    class Model:
        def __init__(self, likely=0.25, features=40):
            self.told, self.features = likely, features

        def likely(self, values):
            assert values.shape[1] == self.features
            return np.full((len(values), 3), self.told, np.float32)

    monkeypatch.setattr(strands, "first", Model)
    monkeypatch.setattr(strands, "second", lambda: (Model(0.5, 155), Model(1.0, 155)))
    rng = np.random.default_rng(5)
    against, way, told = rng.random((3, 60, 70, 3)).astype(np.float32)
    along, own = rng.random((60, 70, 2)).astype(np.float32), np.ones((60, 70), np.float32)
    doubt = np.arange(60 * 70).reshape(60, 70) % 3 == 0
    out = strands.parted(against, way, whole_face() / 3, own, told, along, doubt)
    assert np.array_equal(out[~doubt], along[~doubt])
    assert (out[doubt] == 0.75).all()


def test_what_is_round_about_a_pixel_is_seen_in_its_order_and_at_the_border_the_nearest():
    values = np.arange(30, dtype=np.float32).reshape(5, 6)
    inner, corner = strands._patches(values, 1, np.array([8, 0]))
    assert inner.tolist() == [1, 2, 3, 7, 8, 9, 13, 14, 15]
    assert corner.tolist() == [0, 0, 1, 0, 0, 1, 6, 6, 7]


def test_a_dark_strand_is_a_ridge_across_and_none_along():
    """The eigenvalues of the Hessian, for a valley of lightness that runs aslant."""
    y, x = np.mgrid[:60, :60]
    light = -np.exp(-(((x - y) / np.sqrt(2)) ** 2) / (2 * 3**2)).astype(np.float32)
    across, along = strands._ridges(*(one[30, 30] for one in strands._curved(light, 3.0)))
    # A Gaussian valley of depth 1 and width 3, blurred by 3: s² × its curvature is 1 / 2√2.
    assert across == pytest.approx(1 / (2 * np.sqrt(2)), rel=0.1)
    assert abs(along) < 0.01


def test_what_lies_apart_from_everybody_is_left_out():
    points = whole_face()
    likely = np.zeros((200, 320), np.float32)
    cv2.ellipse(likely, (100, 100), (50, 80), 0, 0, 360, 1.0, -1)
    cv2.circle(likely, (280, 40), 20, 1.0, -1)
    kept = _hanging_together(likely, points, skin=True)
    assert kept[100, 100] == 1
    assert kept[40, 280] == 0


def test_doubt_is_said_and_kept(tmp_path):
    clear = np.zeros((40, 40), np.float32)
    clear[10:30, 10:30] = 0.95
    assert sure(clear)
    assert not sure(clear * 0.6)
    _, found, _ = guest("Guest 1")
    found.save(tmp_path / "f.npz")
    again = Found.load(tmp_path / "f.npz")
    assert [face["unsure"] for face in again.summary()["faces"]] == [f["unsure"] for f in found.summary()["faces"]]
    assert json.loads(json.dumps(again.summary()))
