"""Shapes over the API: what the page needs to point, masks as they are seen, and dabs."""

import json

import numpy as np
import pytest

from tests.studio.talk import JSON, edit, insert
from tests.studio.test_painting import FRAME, picture, view

POOL = {"id": "a", "parts": [{"source": "pool", "centre": [0.4, 0.5], "radii": [0.1, 0.1], "softness": 0.1}]}
PUSH = {"does": "push", "size": 0.3, "softness": 0.8, "points": [[0.4, 0.5, 1], [0.46, 0.5, 1]]}


def shape(strokes, **more):
    return {"id": "s", "kind": "reshape", "settings": {"strokes": strokes, **more}}


@pytest.fixture
def shaped(client, portrait):
    edit(client, portrait, 0, insert(["areas"], POOL), insert(["touches"], shape([PUSH])))
    return portrait


def ask(client, portrait, path, **more):
    return client.post(f"/api/portraits/{portrait.pk}/{path}", {"revision": 1} | more, JSON)


def test_the_page_is_told_from_where_everything_comes(client, shaped):
    answer = ask(client, shaped, "shape")
    [[width, height, x, y, w, h, covered]] = json.loads(answer["X-Shapes"])
    moves = np.frombuffer(answer.content, np.float32).reshape(h, w, 2)
    assert not covered
    assert max(width, height) == 640
    # Under the end of the stroke lies what was under its beginning.
    row, column = round(0.5 * 640) - y, round(0.46 * 640) - x
    assert moves[row, column] == pytest.approx([-0.06, 0], abs=0.012)
    assert json.loads(answer["X-Ended"]) == []


def test_coverage_and_masks_lie_on_the_shaped_picture(client, shaped):
    def middle(answer):
        covered = picture(answer) / 255
        columns = (np.arange(covered.shape[1]) + 0.5) / max(covered.shape)
        return (covered.sum(0) * columns).sum() / covered.sum()

    assert middle(ask(client, shaped, "coverage", area="a", frame=FRAME)) > 0.415
    assert middle(ask(client, shaped, "mask", area="a")) > 0.415
    assert middle(ask(client, shaped, "mask", area="a", shaped=False)) == pytest.approx(0.4, abs=0.005)


def test_a_stroke_of_shape_is_seen_as_it_grows_and_stays_as_it_was_seen(client, portrait):
    edit(client, portrait, 0, insert(["touches"], shape([])))
    before = view(client, portrait)
    body = {"revision": 1, "touch": "s", "name": "one", "frame": FRAME}
    way = [[0.3 + 0.02 * n, 0.4, 1.0] for n in range(6)]
    shown = before.copy()
    for start, stop in ((0, 3), (3, 6)):
        stroke = PUSH | {"points": way[start:stop]}
        answer = client.post(f"/api/portraits/{portrait.pk}/dabs", body | {"start": start, "stroke": stroke}, JSON)
        assert answer.status_code == 200
        x, y, w, h = (int(v) for v in answer["X-Rect"].split())
        shown[y : y + h, x : x + w] = picture(answer)
    edit(client, portrait, 1, insert(["touches", "s", "settings", "strokes"], PUSH | {"points": way}))
    after = view(client, portrait, revision=2)
    assert np.abs(after - before).max() > 12
    assert np.abs(after - shown).mean() < 2.5
    assert np.abs(after - shown).mean() < 0.5 * np.abs(after - before).mean() + 1


def test_an_area_that_a_shape_names_must_be_there(client, portrait):
    body = {"revision": 0, "words": "w", "operations": [insert(["touches"], shape([PUSH], pinned="gone"))]}
    answer = client.post(f"/api/portraits/{portrait.pk}/edits", body, JSON)
    assert answer.status_code == 422
    assert "not there" in answer.json()["detail"]
