"""The generator of the sitters, as far as it needs neither its mesh nor its renderer."""

import colour
import numpy as np
import pytest

from demo.sitters import skin
from demo.sitters.cast import CHOIR
from demo.sitters.noise import noise
from demo.sitters.shape import people, subdivision

CUBE = np.array([[x, y, z] for x in (-1.0, 1.0) for y in (-1.0, 1.0) for z in (-1.0, 1.0)])
SIDES = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])

pytestmark = pytest.mark.slow


def test_one_step_of_a_cube_is_where_the_rule_puts_it():
    matrix, faces = subdivision(8, SIDES)
    points = matrix @ CUBE
    assert faces.shape == (24, 4)
    # A corner of valence 3 goes to (F + 2 R) / 3 of itself with F = 1/3, R = 2/3; an edge to 3/4 of its middle.
    np.testing.assert_allclose(points[:8], CUBE * 5 / 9, atol=1e-12)
    np.testing.assert_allclose(np.abs(points[8:14]).sum(1), 1, atol=1e-12)
    np.testing.assert_allclose(np.sort(np.abs(points[14:]), axis=1), [[0, 0.75, 0.75]] * 12, atol=1e-12)


def test_every_new_point_is_a_mean_of_old_ones():
    faces, count = SIDES, 8
    for _ in range(3):
        matrix, faces = subdivision(count, faces)
        np.testing.assert_allclose(matrix.sum(axis=1), 1, atol=1e-12)
        count = matrix.shape[0]
    assert (len(faces), count) == (6 * 64, 6 * 64 + 2)


def test_an_open_edge_keeps_to_its_own_curve():
    square = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    matrix, _ = subdivision(4, np.array([[0, 1, 2, 3]]))
    points = matrix @ square
    np.testing.assert_allclose(points[0], [0.125, 0.125, 0])
    np.testing.assert_allclose(points[5:].mean(0), [0.5, 0.5, 0])
    assert {tuple(p) for p in points[5:]} == {(0.5, 0, 0), (1, 0.5, 0), (0.5, 1, 0), (0, 0.5, 0)}


def test_a_persons_weights_share_out_one_whole():
    weights = people({"african": 1, "asian": 3}, 0.25, 0.5)
    faces = {n: w for n, w in weights.items() if not n.startswith("universal")}
    assert sum(faces.values()) == pytest.approx(1)
    assert faces["asian-male-young"] == pytest.approx(0.75 * 0.75 * 0.5)


def test_noise_is_the_same_again_bounded_and_smooth():
    points = np.random.default_rng(0).random((500, 3)) * 3
    first = noise(points, 5, 7)
    np.testing.assert_array_equal(first, noise(points, 5, 7))
    assert np.abs(first).max() <= 1
    assert first.std() > 0.1
    assert np.abs(noise(points + 1e-5, 5, 7) - first).max() < 1e-2
    assert np.abs(noise(points, 5, 8) - first).mean() > 0.1


def test_the_choir_spans_the_range_of_human_skin():
    singers = [who for sitter in CHOIR for who in (sitter, *sitter.beside)]
    angles = [skin.ita(who) for who in singers]
    assert {skin.group(a) for a in angles} >= {"very light", "light", "intermediate", "tan", "dark"}
    assert max(angles) > 55
    assert min(angles) < -30
    assert len({who.name for who in singers}) == len(singers)
    assert 0.3 < np.mean([who.female for who in singers]) < 0.7
    assert {s.scene for s in CHOIR} == {"wall", "window", "foliage"}
    assert min(who.old for who in singers) < 0.1
    assert max(who.old for who in singers) > 0.7


def test_ita_is_the_angle_of_the_plain_skin_in_cielab():
    for sitter in CHOIR:
        plain = skin.BASE * np.exp(-sitter.blood * skin.BLOOD) * np.exp(-sitter.melanin * skin.MELANIN)
        xyz = colour.RGB_COLOURSPACES["sRGB"].matrix_RGB_to_XYZ @ plain
        light, _, yellow = colour.XYZ_to_Lab(xyz, colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"])
        assert skin.ita(sitter) == pytest.approx(np.degrees(np.arctan2(light - 50, yellow)), abs=0.2)
