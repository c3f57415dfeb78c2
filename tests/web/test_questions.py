"""Open questions, habits, house rules and renames, as a browser asks for them."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from tests.core.test_direction import height, normal_map
from tests.core.test_evidence import COLOUR, CREASES, GREY, METAL, stored
from tests.web.conftest import Caller
from texelweb.projects.models import Project
from texelweb.sets.answering.questions import refresh
from texelweb.sets.models import OpenQuestion, SourceFile, TextureSet

Body = Callable[..., bytes]


def png(pixels: np.ndarray) -> bytes:
    import io

    from PIL import Image

    file = io.BytesIO()
    Image.fromarray(pixels).save(file, "PNG")
    return file.getvalue()


DOWN = png(normal_map(height("brick"), 10, "-Y"))
UP = png(normal_map(height("brick"), 10, "+Y"))
PACKED = png(stored(np.stack([GREY, METAL, CREASES], -1)))


@pytest.fixture
def oak(artist: Caller) -> Any:
    """A set whose normal map lies about its direction and whose packed map lies about its order, with an unnamed scan."""
    artist.send(
        "weir",
        {
            "oak/oak_albedo.png": png(stored(COLOUR)),
            "oak/oak_normal_gl.png": DOWN,
            "oak/oak_ORM.png": PACKED,
            "oak/elf 17.png": png(stored(np.roll(GREY, 40, 0), 65535)),
        },
    )
    return artist.get("/projects/weir/questions")


@pytest.fixture
def crowded(artist: Caller) -> Any:
    """Sets that share a name, files that share their bytes, and properties that two files want."""
    artist.send(
        "weir",
        {
            "oak/oak_albedo.png": png(stored(COLOUR)),
            "oak/oak_nor_gl.png": UP,
            "oak/oak_nor_dx.png": DOWN,
            "oak/oak_rough_1k.png": png(stored(GREY)),
            "oak/oak_rough_2k.png": png(np.kron(stored(GREY), np.ones((2, 2), np.uint8))),
            "elm/elm_albedo.png": png(stored(COLOUR)),
            "wall/door_albedo.png": png(stored(np.roll(COLOUR, 99, 0))),
            "roof/door_albedo.png": png(stored(np.roll(COLOUR, 33, 1))),
        },
    )
    return artist.get("/projects/weir/questions")


def by_kind(questions: Any) -> dict[str, Any]:
    return {entry["question"]["text"].split("?")[0].split()[-1]: entry for entry in questions["open"]}


def row(caller: Caller, key: str) -> Any:
    texture_set = TextureSet.objects.get()
    return next(line["row"] for line in caller.get(f"/sets/{texture_set.pk}")["lines"] if line["property"] == key)


def test_what_names_and_pixels_disagree_on_is_asked_worst_first(artist: Caller, oak: Any) -> None:
    assert [entry["question"]["kind"] for entry in oak["open"]] == ["disagrees", "disagrees", "unnamed"]
    assert all(entry["set_name"] == "oak" for entry in oak["open"])
    direction = next(entry for entry in oak["open"] if "green" in entry["question"]["text"])
    assert direction["question"]["prepared"] == "pixels say"
    # Until somebody settles it the pixels are used, and the doubt is a finding.
    assert row(artist, "normal")["normal_y"] == "-Y" and row(artist, "normal")["sure"] == "doubted"
    rules = {finding["rule"] for finding in artist.get(f"/sets/{TextureSet.objects.get().pk}")["findings"]}
    assert "name-and-pixels-disagree" in rules
    (line,) = artist.get("/projects/weir/board")["sets"]
    assert line["questions"] == 3


def test_an_answer_settles_one_question_and_can_be_taken_back(artist: Caller, oak: Any) -> None:
    direction = next(entry for entry in oak["open"] if "green" in entry["question"]["text"])
    after = artist.ask("POST", f"/projects/weir/questions/{direction['question']['key']}/answer", {"answer": "name says"})
    assert after["total"] == 2 and after["settled"][0]["answer"] == "+Y, as the name says"
    assert row(artist, "normal")["normal_y"] == "+Y" and row(artist, "normal")["sure"] == "by hand"
    back = artist.ask("POST", f"/projects/weir/settled/{after['settled'][0]['act']}/undo")
    assert back["total"] == 3 and back["settled"] == []
    assert row(artist, "normal")["normal_y"] == "-Y"


def test_all_prepared_answers_are_taken_and_undone_as_one(artist: Caller, oak: Any) -> None:
    before = TextureSet.objects.get().ledger_json
    after = artist.ask("POST", "/projects/weir/questions/prepared", {})
    assert after["total"] == 0 and after["settled"][0]["count"] == 3
    assert [row(artist, key)["channels"] for key in ("roughness", "metallic", "occlusion")] == [["R"], ["G"], ["B"]]
    assert row(artist, "height")["why"] == "Settled by hand."
    artist.ask("POST", f"/projects/weir/settled/{after['settled'][0]['act']}/undo")
    assert TextureSet.objects.get().ledger_json == before
    assert OpenQuestion.objects.count() == 3
    scan = SourceFile.objects.get(path="oak/elf 17.png")
    assert scan.set is None and not scan.set_aside


def asked_now() -> set[tuple[str, str]]:
    return set(OpenQuestion.objects.values_list("key", "digest"))


def test_asking_anew_about_what_was_touched_is_asking_about_everything(artist: Caller, crowded: Any) -> None:
    """The law of working out only what changed: after each act, what is asked is what would be asked of the whole project."""
    project = Project.objects.get(slug="weir")

    def holds() -> None:
        now = asked_now()
        refresh(project)
        assert now == asked_now()

    holds()
    while asked := artist.get("/projects/weir/questions")["open"]:
        for entry in (asked[0], asked[-1]):
            act = artist.ask("POST", f"/projects/weir/questions/{entry['question']['key']}/answer", {})["settled"][0]["act"]
            holds()
            artist.ask("POST", f"/projects/weir/settled/{act}/undo")
            holds()
            other = entry["question"]["answers"][-1]["key"]
            act = artist.ask("POST", f"/projects/weir/questions/{entry['question']['key']}/answer", {"answer": other})
            holds()
            artist.ask("POST", f"/projects/weir/settled/{act['settled'][0]['act']}/undo")
        artist.ask("POST", f"/projects/weir/questions/{asked[0]['question']['key']}/answer", {})
        holds()
    oak = TextureSet.objects.get(name="oak")
    artist.ask("DELETE", f"/sets/{oak.pk}/rows/base_colour")
    holds()
    artist.ask("POST", "/projects/weir/undo")
    holds()
    artist.send("weir", {"elm/elm_albedo.png": png(stored(COLOUR[::-1])), "ash/ash_albedo.png": png(stored(COLOUR[::-1]))})
    holds()
    artist("DELETE", f"/sets/{oak.pk}")
    holds()


def test_what_an_answer_changed_makes_the_old_page_the_new_one(artist: Caller, crowded: Any) -> None:
    page = crowded
    for entry in crowded["open"][:3]:
        change = artist.ask("POST", f"/projects/weir/questions/{entry['question']['key']}/answer", {})
        assert change["before"] == page["stamp"]
        other = {*change["gone"], *(one["question"]["key"] for one in change["open"])}
        made = [one for one in page["open"] if one["question"]["key"] not in other] + change["open"]
        made.sort(key=lambda one: (one["rank"], -one["total"], one["question"]["key"]))
        page = artist.get("/projects/weir/questions")
        assert page["open"] == made
        assert {key: page[key] for key in ("total", "settled")} == {key: change[key] for key in ("total", "settled")}
        assert page["stamp"] == change["after"]


def test_an_answer_is_not_taken_back_over_later_work(artist: Caller, oak: Any) -> None:
    direction = next(entry for entry in oak["open"] if "green" in entry["question"]["text"])
    act = artist.ask("POST", f"/projects/weir/questions/{direction['question']['key']}/answer", {})["settled"][0]["act"]
    artist.ask("DELETE", f"/sets/{TextureSet.objects.get().pk}/rows/occlusion")
    refused = artist("POST", f"/projects/weir/settled/{act}/undo")
    assert refused.status_code == 409 and "changed since" in refused.json()["problem"]
    assert artist("POST", f"/projects/weir/settled/{uuid.uuid4()}/undo").status_code == 409
    last = oak["open"][2]["question"]["key"]
    assert artist("POST", f"/projects/weir/questions/{last}/answer", {"answer": "nonsense"}).status_code == 409


def test_what_is_settled_on_the_sets_page_is_asked_no_more(artist: Caller, oak: Any) -> None:
    where = f"/sets/{TextureSet.objects.get().pk}"
    file = SourceFile.objects.get(path="oak/oak_normal_gl.png")
    artist.ask("PUT", f"{where}/rows/normal", {"file": file.pk, "channels": ["R", "G", "B"], "normal_y": "-Y"})
    assert [entry["question"]["kind"] for entry in artist.get("/projects/weir/questions")["open"]] == ["disagrees", "unnamed"]
    # A whole file by hand takes the direction that its pixels show.
    assert artist.ask("PUT", f"{where}/rows/normal", {"file": file.pk})["lines"] and row(artist, "normal")["normal_y"] == "-Y"
    scan = SourceFile.objects.get(path="oak/elf 17.png")
    artist.ask("PUT", f"{where}/rows/height", {"file": scan.pk})
    assert [entry["question"]["kind"] for entry in artist.get("/projects/weir/questions")["open"]] == ["disagrees"]
    for _ in range(2):
        artist.ask("POST", "/projects/weir/undo")
    assert "disagrees" in [entry["question"]["kind"] for entry in artist.get("/projects/weir/questions")["open"]]
    artist("DELETE", where)
    kinds = {entry["question"]["kind"] for entry in artist.get("/projects/weir/questions")["open"]}
    assert "disagrees" not in kinds


def test_a_habit_answers_all_alike_now_and_later(lead: Caller, artist: Caller) -> None:
    for name in ("oak", "elm"):
        artist.send(
            "weir", {f"{name}/{name}_albedo.png": png(stored(np.roll(COLOUR, len(name), 0))), f"{name}/{name}_NRM_GL.png": DOWN}
        )
    asked = [entry for entry in artist.get("/projects/weir/questions")["open"] if entry["question"]["kind"] == "disagrees"]
    assert len(asked) == 1 and asked[0]["total"] == 2
    assert artist("POST", f"/projects/weir/questions/{asked[0]['question']['key']}/answer", {"teach": True}).status_code == 403
    after = lead.ask("POST", f"/projects/weir/questions/{asked[0]['question']['key']}/answer", {"teach": True})
    # What took a lead to do takes a lead to undo, wherever it is asked.
    (step,) = artist.get("/projects/weir/steps")["steps"][:1]
    assert step["kind"] == "answers" and not step["may_undo"] and lead.get("/projects/weir/steps")["steps"][0]["may_undo"]
    for path in (f"/projects/weir/steps/{step['id']}/undo", f"/projects/weir/settled/{after['settled'][0]['act']}/undo"):
        refused = artist("POST", path)
        assert refused.status_code == 403 and "takes the role lead" in refused.json()["problem"]
    assert after["settled"][0]["count"] == 2
    rules = lead.get("/projects/weir/rules")
    (habit,) = rules["rules"]["habits"]
    assert (habit["words"], habit["meanings"], habit["channels"], habit["direction"]) == ("nrm gl", ["normal"], [], "-Y")
    assert rules["rules"]["hold"] is False
    # What comes later is read by the habit, and pixels that agree with it raise no question.
    agreeing = png(normal_map(height("coins"), 9, "-Y"))
    artist.send("weir", {"ash/ash_albedo.png": png(stored(COLOUR[::-1])), "ash/ash_nrm_gl.png": agreeing})
    ash = TextureSet.objects.get(code="ash")
    normal = next(line["row"] for line in artist.get(f"/sets/{ash.pk}")["lines"] if line["property"] == "normal")
    assert (normal["normal_y"], normal["sure"]) == ("-Y", "agreed")
    # Taking the answer back forgets the habit.
    lead.ask("POST", f"/projects/weir/settled/{after['settled'][0]['act']}/undo")
    assert lead.get("/projects/weir/rules")["rules"]["habits"] == []


def test_doubles_and_both_directions_are_asked_with_an_answer_prepared(artist: Caller, crowded: Any) -> None:
    kinds = {entry["question"]["kind"]: entry["question"] for entry in crowded["open"]}
    assert set(kinds) == {"both directions", "resolutions", "shared", "same name"}
    prepared = {kind: next(a["label"] for a in q["answers"] if a["key"] == q["prepared"]) for kind, q in kinds.items()}
    assert prepared["both directions"] == "oak_nor_gl.png" and "512 × 512" in prepared["resolutions"]
    assert prepared["shared"] == "They share it" and "call the second" in prepared["same name"]
    artist.ask("POST", "/projects/weir/questions/prepared", {})
    assert artist.get("/projects/weir/questions")["total"] == 0
    assert {"door", "door_wall"} <= set(TextureSet.objects.values_list("name", flat=True))


def test_one_answer_never_takes_away_what_another_of_the_same_act_has_placed(artist: Caller) -> None:
    same = png(stored(COLOUR))
    artist.send("weir", {"reef.png": same, "tide.png": same})
    kinds = [entry["question"]["kind"] for entry in artist.get("/projects/weir/questions")["open"]]
    assert sorted(kinds) == ["alone", "double"]
    artist.ask("POST", "/projects/weir/questions/prepared", {})
    (left,) = artist.get("/projects/weir/questions")["open"]
    assert left["question"]["kind"] == "shared"
    assert set(SourceFile.objects.values_list("set__name", "set_aside")) == {("reef", False), ("tide", False)}


def rules_of(**changes: Any) -> Any:
    from texelcore.naming.rules import HouseRules

    return HouseRules(**changes).model_dump(mode="json")


def test_rules_are_versions_and_hold_names(lead: Caller, artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak/Oak_Albedo.png": body(), "oak/oak rough.png": body(shape=(32, 32, 1))})
    (line,) = artist.get("/projects/weir/board")["sets"]
    assert line["cells"]["named"]["state"] == "holds"
    lead.ask("PUT", "/projects/weir/rules", {"base": 0, "rules": rules_of(folder="{set}"), "what": "First rules"})
    (line,) = artist.get("/projects/weir/board")["sets"]
    assert line["cells"]["named"]["state"] == "look"
    stale = lead("PUT", "/projects/weir/rules", {"base": 0, "rules": rules_of()})
    assert stale.status_code == 409 and "by now (lead: First rules)" in stale.json()["problem"]
    bad = lead("PUT", "/projects/weir/rules", {"base": 1, "rules": rules_of() | {"name": "{set}"}})
    assert bad.status_code == 422 and "{property}" in bad.json()["problem"]
    exported = lead.client.get("/api/projects/weir/rules/1/document")
    assert exported.json()["folder"] == "{set}" and "attachment" in exported["Content-Disposition"]
    names = ["oak_rgh.png", "oak_roughness.png", "x.png"]
    tried = artist.ask("POST", "/projects/weir/rules/try", {"rules": rules_of(), "names": names})
    assert [entry["holds"] for entry in tried] == [False, True, False]
    assert tried[0]["would_be"] == "oak_roughness"


def test_a_rename_is_one_step_and_undone_as_one(lead: Caller, artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak/Oak_Albedo.png": body(), "oak/oak rough.png": body(shape=(32, 32, 1)), "oak/oak_NRM.png": UP})
    lead.ask("PUT", "/projects/weir/rules", {"base": 0, "rules": rules_of()})
    plan = artist.get("/projects/weir/renames")
    assert {line["old"]: line["new"] for line in plan["lines"]} == {
        "oak/Oak_Albedo.png": "oak/oak_basecolor.png",
        "oak/oak rough.png": "oak/oak_roughness.png",
        "oak/oak_NRM.png": "oak/oak_normal_gl.png",
    }
    assert artist.client.get("/api/projects/weir/renames/csv").content.decode().startswith("old,new,rules,note")
    assert artist("POST", "/projects/weir/renames", {"stamp": "another"}).status_code == 409
    after = artist.ask("POST", "/projects/weir/renames", {"stamp": plan["stamp"]})
    assert after["lines"] == [] and after["acts"][0]["count"] == 3
    # A re-export under the old name is still this file's next revision.
    report = artist.send("weir", {"oak/oak rough.png": body(shape=(32, 32, 1), seed=8)})
    assert report["items"][0]["outcome"] == "replaced" and "oak_roughness" in report["items"][0]["problem"]
    renamed = set(SourceFile.objects.values_list("path", flat=True))
    artist.ask("POST", f"/renames/{after['acts'][0]['id']}/undo")
    artist.ask("POST", "/projects/weir/redo")
    assert set(SourceFile.objects.values_list("path", flat=True)) == renamed
    artist.ask("POST", "/projects/weir/undo")
    assert set(SourceFile.objects.values_list("path", flat=True)) == {
        "oak/Oak_Albedo.png",
        "oak/oak rough.png",
        "oak/oak_NRM.png",
    }
    assert artist("POST", f"/renames/{after['acts'][0]['id']}/undo").status_code == 409


def test_paths_may_change_places(artist: Caller, body: Body) -> None:
    from texelweb.sets.changing import renames

    artist.send("weir", {"a.png": body(), "b.png": body(seed=2)})
    first, second = SourceFile.objects.order_by("path")
    renames._move(first.project, [(first.pk, "a.png", "b.png"), (second.pk, "b.png", "a.png")])
    assert SourceFile.objects.get(pk=first.pk).path == "b.png" and SourceFile.objects.get(pk=second.pk).path == "a.png"


def test_memory_is_held_against_the_projects_budget(lead: Caller, artist: Caller) -> None:
    artist.send("weir", {f"{name}_albedo.png": png(stored(np.roll(COLOUR, len(name), 0))) for name in ("oak", "birch")})
    board = artist.get("/projects/weir/board")
    # Two colour outputs of 256² at a byte a texel with mips: twice 4/3 of 64 KiB (geometric series), and the last blocks.
    assert 2 * 65536 * 4 / 3 < board["memory"] < 2 * 65536 * 4 / 3 + 200 and board["project_findings"] == []
    rules = lead.get("/projects/weir/rules")
    tight = rules["rules"] | {"hold": True, "sizes": rules["rules"]["sizes"] | {"project_budget": 0.1}}
    lead.ask("PUT", "/projects/weir/rules", {"base": 0, "rules": tight})
    (finding,) = artist.get("/projects/weir/board")["project_findings"]
    assert finding["rule"] == "project-budget" and "0.2 MB" in finding["message"]


def test_a_browsers_copy_is_set_aside_by_enter(artist: Caller, body: Body) -> None:
    artist.send("weir", {"wall/wall_albedo.png": body(), "wall/wall_rough.png": body(seed=4)})
    artist.send("weir", {"wall/wall_albedo (1).png": body(), "wall/wall_rough - Copy.png": body(seed=5)})
    assert [found.name for found in TextureSet.objects.all()] == ["wall"]
    (asked,) = artist.get("/projects/weir/questions")["open"]
    assert asked["question"]["kind"] == "copy" and "agree in every byte" in str(asked)
    artist.ask("POST", f"/projects/weir/questions/{asked['question']['key']}/answer", {})
    assert artist.get("/projects/weir/questions")["open"] == []
    assert sorted(SourceFile.objects.filter(set_aside=True).values_list("path", flat=True)) == [
        "wall/wall_albedo (1).png",
        "wall/wall_rough - Copy.png",
    ]
    # Somebody who means the second may have it in the first one's place.
    artist.ask("POST", "/projects/weir/undo")
    (asked,) = artist.get("/projects/weir/questions")["open"]
    artist.ask("POST", f"/projects/weir/questions/{asked['question']['key']}/answer", {"answer": "second"})
    wall = artist.get(f"/sets/{TextureSet.objects.get().pk}")
    assert {line["row"]["file"] for line in wall["lines"] if line["row"]} <= {
        str(pk) for pk in SourceFile.objects.filter(path__regex=r" \(1\)| - Copy").values_list("pk", flat=True)
    }


def test_a_packed_layout_is_taught_by_channel(artist: Caller, lead: Caller) -> None:
    packed, base = png(stored(np.stack([GREY, CREASES, METAL], -1))), png(stored(COLOUR))
    stems = ("rock", "clay", "mud")
    artist.send("weir", {f"a/{stem}_{end}.png": file for stem in stems for end, file in (("albedo", base), ("xq", packed))})
    (asked,) = [entry for entry in artist.get("/projects/weir/questions")["open"] if entry["question"]["kind"] == "ending"]
    looks = {entry["channel"]: entry for entry in asked["channels"]}
    assert "dark creases" in looks["G"]["looks"] and [looks[name]["guess"] for name in "RGB"] == [
        "roughness",
        "occlusion",
        "metallic",
    ]
    path = f"/projects/weir/questions/{asked['question']['key']}/answer"
    refused = lead("POST", path, {"channels": {"R": "base_colour"}, "teach": True})
    assert refused.status_code == 409 and "base colour takes 3 of the channels" in refused.json()["problem"]
    changed = lead.ask("POST", path, {"channels": {"R": "gloss", "G": "", "B": "mask"}, "teach": True})
    assert changed["settled"][0]["answer"] == "Gloss in R, mask in B"
    (habit,) = lead.get("/projects/weir/rules")["rules"]["habits"]
    assert (habit["meanings"], habit["channels"]) == (["gloss", "mask"], ["R", "B"])
    # What comes later is read so, too.
    artist.send(
        "weir",
        {
            "a/moss_albedo.png": png(stored(np.roll(COLOUR, 9, 0))),
            "a/moss_xq.png": png(stored(np.stack([METAL, GREY, CREASES], -1))),
        },
    )
    for texture_set in TextureSet.objects.filter(project__slug="weir"):
        held = {row.property: (row.channels, row.inverted) for row in texture_set.ledger.rows if row.property != "base_colour"}
        assert held == {"roughness": (("R",), True), "mask.b": (("B",), False)}
    lead.ask("POST", f"/projects/weir/settled/{changed['settled'][0]['act']}/undo")
    assert not lead.get("/projects/weir/rules")["rules"]["habits"]
