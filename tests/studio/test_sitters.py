"""A sitting as a whole: lists in parts, who is who, carrying over to one sitter, and the same light."""

import io

import numpy as np
import pytest
from PIL import Image

from retouch.colour.oklab import to_oklab
from retouch.faces.traits import LENGTH, SKIN, SPANS
from studio import viewing, who
from studio.models import Face, Portrait, Sitter
from tests.pictures import bytes_of
from tests.studio.talk import JSON, edit, exposure, insert, sheet, upload, work

TAN = to_oklab(np.array([0.62, 0.45, 0.36]))


def traits(of: int, skin=TAN, off: float = 0.0) -> list[float]:
    """What tells somebody from others: colours of hair, brows and clothes of their own."""
    out = [off] * LENGTH
    out[SKIN : SKIN + 3] = [float(v) for v in skin]
    for at in range(SKIN + 3, LENGTH):
        out[at] = 0.1 + 0.25 * of + off
    return out


@pytest.fixture
def singers(client, sitting) -> list[Portrait]:
    """Five prepared portraits: Alto 1 on two, Bass 1 on two, and both of them on the last."""
    for number in (2, 10, 1, 9, 3):
        upload(client, sitting, f"Evening {number}.jpg", bytes_of("JPEG", 200, 250))
    work()
    rows = list(Portrait.objects.order_by("created"))
    faces = [(0, 1, 0), (1, 1, 0), (2, 1, 1), (3, 1, 1), (4, 1, 0), (4, 2, 1)]
    Face.objects.bulk_create(
        Face(portrait=rows[at], number=n, box=[0.2 * n, 0.2, 0.2, 0.3], traits=traits(of, off=0.001 * at))
        for at, n, of in faces
    )
    Portrait.objects.update(search="ready", noted=True)
    return rows


def ask(client, sitting, what="sitters", method="get", **body):
    answer = getattr(client, method)(f"/api/sittings/{sitting.pk}/{what}", body, *([JSON] if method != "get" else []))
    return answer.json() if answer.content else None


def names(groups):
    return [(g["name"], sorted(f["portrait_name"] for f in g["faces"])) for g in groups]


def test_faces_are_grouped_named_and_corrected(client, sitting, singers):
    assert ask(client, sitting)["fresh"] == 6
    groups = ask(client, sitting, method="post")["groups"]
    altos, basses = [f"Evening {n}" for n in (10, 2, 3)], [f"Evening {n}" for n in (1, 3, 9)]
    assert sorted(names(groups)) == [("", basses), ("", altos)]
    mine = next(g for g in groups if "Evening 2" in [f["portrait_name"] for f in g["faces"]])
    other = next(g for g in groups if g is not mine)
    client.patch(f"/api/sitters/{mine['id']}", {"name": "Alto 1"}, JSON)
    # One of them is somebody else's, and one is nobody's who counts; grouping once more leaves both as they are.
    wrong, stranger = mine["faces"][0]["id"], other["faces"][0]["id"]
    ask(client, sitting, "faces", "post", faces=[wrong], sitter=other["id"])
    ask(client, sitting, "faces", "post", faces=[stranger])
    now = ask(client, sitting, method="post")
    assert [f["id"] for f in now["aside"]] == [stranger]
    assert ("Alto 1", ["Evening 10", "Evening 3"]) in names(now["groups"])
    assert wrong in [f["id"] for g in now["groups"] if g["id"] == other["id"] for f in g["faces"]]
    picture = client.get(f"/api/faces/{wrong}/picture")
    assert Image.open(io.BytesIO(picture.content)).format == "JPEG"


def test_a_new_picture_comes_to_whom_it_is_like_and_two_names_alike_are_one(client, sitting, singers):
    groups = ask(client, sitting, method="post")["groups"]
    first = groups[0]["id"]
    client.patch(f"/api/sitters/{first}", {"name": "Alto 1"}, JSON)
    model = Face.objects.filter(sitter=first).first()
    upload(client, sitting, "Late.jpg", bytes_of("JPEG", 200, 250))
    work()
    late = Portrait.objects.get(name="Late")
    face = Face.objects.create(portrait=late, number=1, box=[0, 0, 0.2, 0.2], traits=model.traits)
    assert ask(client, sitting, method="post")["groups"][0]["count"] == 4
    face.refresh_from_db()
    assert face.sitter_id == first
    ask(client, sitting, "faces", "post", faces=[face.pk], new=True)
    face.refresh_from_db()
    assert face.sitter_id != first
    client.patch(f"/api/sitters/{face.sitter_id}", {"name": "alto 1"}, JSON)
    face.refresh_from_db()
    assert face.sitter_id == first
    # Both of one portrait cannot be one.
    other = Sitter.objects.exclude(pk=first).get()
    refused = client.patch(f"/api/sitters/{other.pk}", {"name": "Alto 1"}, JSON)
    assert (refused.status_code, "cannot be the same" in refused.json()["detail"]) == (422, True)


def test_a_sitting_is_listed_in_parts_in_any_order(client, sitting, singers):
    page = client.get(f"/api/sittings/{sitting.pk}").json()
    assert (page["count"], page["unready"], page["unsearched"]) == (5, 0, 0)
    part = ask(client, sitting, "cards", start=1, many=2, order="name")
    assert (part["count"], [p["name"] for p in part["portraits"]]) == (5, ["Evening 2", "Evening 3"])
    ask(client, sitting, "flags", "post", to=[str(singers[1].pk), str(singers[2].pk)], flag="keep")
    kept = ask(client, sitting, "index", only="keep", order="name")
    assert [p["name"] for p in kept] == ["Evening 1", "Evening 10"]
    ask(client, sitting, method="post")
    sitter = Face.objects.get(portrait=singers[2]).sitter
    theirs = ask(client, sitting, "cards", sitter=sitter.pk, order="name")
    assert [p["name"] for p in theirs["portraits"]] == ["Evening 1", "Evening 3", "Evening 9"]
    Portrait.objects.filter(pk=singers[3].pk).update(facts={"camera": {"taken": "2020:01:01 10:00:00"}})
    assert ask(client, sitting, "index", order="taken")[0]["name"] == "Evening 9"


def test_what_is_carried_over_to_a_sitter_lies_on_that_one_alone(client, sitting, singers, monkeypatch):
    ask(client, sitting, method="post")
    sitter = Face.objects.get(portrait=singers[2]).sitter
    skin = {"id": "a", "name": "the skin", "parts": [{"id": "p", "source": "face-part", "part": "skin"}]}
    edit(client, singers[2], 0, insert(["areas"], skin), insert(["touches"], exposure("t", area="a")))
    to = [str(singers[3].pk), str(singers[4].pk)]
    monkeypatch.setattr("studio.carrying.found_now", lambda key: None)
    ask(client, sitting, "carry-overs", "post", portrait=str(singers[2].pk), revision=1, touches=["t"], to=to,
        sitter=sitter.pk)  # fmt: skip
    work()
    alone, both = (sheet(client, p)["document"]["areas"][0]["parts"][0] for p in singers[3:])
    assert (alone["of"], both["of"]) == (0, 2)


def test_the_same_light_is_an_ordinary_first_touch_and_then_all_are_alike(client, sitting, singers):
    ask(client, sitting, method="post")
    darker = to_oklab(np.array([0.62, 0.45, 0.36]) * np.array([0.8, 0.76, 0.7]))
    Face.objects.filter(portrait=singers[1]).update(traits=traits(0, darker, 0.001))
    edit(client, singers[1], 0, insert(["touches"], {"id": "c", "kind": "levels"}))
    body = {"like": str(singers[0].pk), "to": [str(p.pk) for p in singers]}
    told = {d["name"]: d for d in ask(client, sitting, "drifts", "post", **body)}
    assert (told["Evening 10"]["same"], told["Evening 1"]["same"]) == (True, False)
    assert told["Evening 10"]["ev"] > 0.5
    assert told["Evening 10"]["warmth"] < -5
    assert not told["Evening 9"]["seen"]
    ask(client, sitting, "same-light", "post", **body)
    steps = sheet(client, singers[1])["document"]["touches"]
    assert [t["kind"] for t in steps] == ["white-balance", "exposure", "levels"]
    assert sheet(client, singers[1])["revision"] == 2
    again = ask(client, sitting, "drifts", "post", **body)
    assert not any(d["seen"] for d in again)
    assert abs(next(d for d in again if d["name"] == "Evening 10")["ita"]) < 1
    Face.objects.filter(portrait=singers[0]).update(traits=[None] * LENGTH)
    refused = client.post(f"/api/sittings/{sitting.pk}/drifts", body, JSON)
    assert "No face was found" in refused.json()["detail"]


def test_faces_are_noted_after_a_search_and_keep_whose_they_are(client, sitting, portrait):
    from retouch.faces import Face as Seen
    from retouch.faces import Found

    key = str(portrait.pk)
    marks = [(0.4 + 0.0001 * n, 0.4 + 0.0002 * n) for n in range(478)]
    seen = Seen((0.3, 0.3, 0.2, 0.2), 0.9, tuple(marks), depths=tuple(0.00001 * n for n in range(478)))
    viewing.keep_found(key, Found("k", (seen, Seen((0.6, 0.3, 0.2, 0.2), 0.9)), {}))
    Portrait.objects.update(search="ready")
    assert ask(client, sitting)["waiting"] == 1
    assert ask(client, sitting)["waiting"] == 1
    work()
    first, second = Face.objects.all()
    assert (first.traits[0] is None, second.traits[: len(SPANS)]) == (False, [None] * len(SPANS))
    ask(client, sitting, "faces", "post", faces=[first.pk], new=True)
    viewing.keep_found(key, Found("k", (seen,), {}))
    who.note(key)
    [face] = Face.objects.all()
    assert (face.pk, face.said) == (first.pk, True)
    assert face.sitter is not None
