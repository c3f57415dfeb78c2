"""A studio of one's own: the first lead, projects, links that work once, roles, and the end of all of them."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from threading import Barrier
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.db import connections
from django.test import Client
from django.utils import timezone

from tests.web.conftest import Caller, run_queued
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelweb.accounts.models import AccessToken
from texelweb.jobs.models import Job
from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.answering.questions import save_rules
from texelweb.studio import people, projects
from texelweb.studio.models import Invitation
from texelweb.studio.people import make_account

PASSWORD = "a heron by the mill"


@pytest.fixture
def chief(users: dict[str, Any], project: Project) -> Caller:
    """Somebody who leads the studio and is in no project."""
    return Caller(get_user_model().objects.create_user("chief", password=PASSWORD, is_staff=True))


def invited(lead: Caller, role: str = "artist", slug: str = "weir") -> str:
    return str(lead.ask("POST", f"/projects/{slug}/invitations", {"role": role, "note": "Wren"})["secret"])


def take(secret: str, name: str = "wren", caller: Caller | None = None) -> Any:
    body = {"secret": secret, "name": name, "password": PASSWORD}
    return (caller or Caller(None))("POST", "/invitations/take", body)


# The first lead


def test_an_empty_studio_takes_its_first_lead_once(db: None, settings: Any) -> None:
    nobody = Caller(None)
    assert nobody.get("/setup") == {"empty": True, "code": False}
    body = {"name": "wren", "password": PASSWORD}
    assert nobody.ask("POST", "/setup", body) == {"user": "wren", "studio": True}
    # The first lead is signed in, and may begin.
    made = nobody.ask("POST", "/projects", {"title": "Heron Lock", "target": "orbit-desktop"})
    assert (made["slug"], made["role"], made["code"]) == ("heron-lock", "lead", "hero")
    # Nothing was done in it yet, so that there is nothing to undo.
    assert nobody.get("/projects/heron-lock/steps") == {"steps": [], "undo": None, "redo": None}
    again = Caller(None)("POST", "/setup", body | {"name": "kestrel"})
    assert again.status_code == 409 and "first lead already" in again.json()["problem"]
    assert nobody.get("/setup")["empty"] is False


def test_where_a_code_was_printed_the_first_lead_has_to_know_it(db: None, settings: Any) -> None:
    settings.SETUP_CODE = "printed"
    body = {"name": "wren", "password": PASSWORD}
    assert Caller(None)("POST", "/setup", body).status_code == 403
    assert Caller(None)("POST", "/setup", body | {"code": "guessed"}).status_code == 403
    assert Caller(None).ask("POST", "/setup", body | {"code": "printed"})["user"] == "wren"


@pytest.mark.parametrize(
    ("name", "password", "said"),
    [("wren", "short", "too short"), ("wren", "password123", "too common"), ("", PASSWORD, "name"), ("a b", PASSWORD, "name")],
)
def test_a_first_account_that_will_not_do_is_refused_in_words(db: None, name: str, password: str, said: str) -> None:
    answer = Caller(None)("POST", "/setup", {"name": name, "password": password})
    assert answer.status_code == 409 and said in answer.json()["problem"]
    assert people.is_empty()


# Projects


def test_a_project_begins_with_the_rules_of_another_or_of_a_preset(lead: Caller, project: Project, users: Any) -> None:
    save_rules(project, HouseRules(title="Weir names", name="{set}-{property}"), "Written", users["lead"])
    copied = lead.ask("POST", "/projects", {"title": "Sluice", "target": "millrace-handheld", "rules": "project:weir"})
    assert lead.get(f"/projects/{copied['slug']}/rules")["rules"]["name"] == "{set}-{property}"
    preset = lead.ask("POST", "/projects", {"title": "Sluice", "target": "millrace-handheld", "rules": "preset:foldered"})
    assert preset["slug"] == "sluice-2"
    assert lead.get("/projects/sluice-2/rules")["rules"]["folder"] == "{set}"
    for rules in ("project:elsewhere", "preset:none"):
        answer = lead("POST", "/projects", {"title": "Third", "target": "orbit-desktop", "rules": rules})
        assert answer.status_code == 409
    assert Project.objects.count() == 3


def test_a_project_is_renamed_archived_and_brought_back(lead: Caller, artist: Caller) -> None:
    changed = lead.ask("PATCH", "/projects/weir", {"title": "  The  weir ", "code": "wr", "target": "millrace-handheld"})
    assert (changed["title"], changed["code"], changed["target"]) == ("The weir", "wr", "millrace-handheld")
    Project.objects.update(code="old-one")
    assert lead.ask("PATCH", "/projects/weir", {"title": "The weir", "code": "old-one"})["code"] == "old-one"
    Project.objects.update(code="wr")
    for wrong in ({"title": " "}, {"title": "!?"}, {"code": "../x"}, {"code": ""}, {"target": "nothing"}):
        assert lead("PATCH", "/projects/weir", wrong).status_code == 409
    assert lead.ask("POST", "/projects/weir/archive")["archived"]
    assert artist.get("/projects/weir/board")["project"]["archived"]
    refused = artist("POST", "/projects/weir/sets", {"name": "New"})
    assert refused.status_code == 409 and "archived" in refused.json()["problem"]
    assert lead("PATCH", "/projects/weir", {"title": "Other"}).status_code == 409
    assert lead.ask("POST", "/projects/weir/bring-back")["archived"] is None
    artist.ask("POST", "/projects/weir/sets", {"name": "New"})
    # What it is called goes back as anything else does, for a lead.
    (renamed,) = [step for step in lead.get("/projects/weir/record?kinds=project")["steps"] if step["may_undo"]]
    assert artist("POST", f"/projects/weir/steps/{renamed['id']}/undo").status_code == 403
    lead.ask("POST", f"/projects/weir/steps/{renamed['id']}/undo")
    assert (Project.objects.get().title, Project.objects.get().code) == ("Weir", "we")
    said = [step["what"] for step in lead.get("/projects/weir/record?kinds=project")["steps"]]
    assert said == [
        "Brought back from the archive",
        "Archived",
        "Renamed from Weir to The weir; Code we → wr; Default target Millrace handheld",
    ]


def test_a_project_is_deleted_by_its_title_also_while_it_builds(
    lead: Caller, artist: Caller, chief: Caller, body: Callable[..., bytes]
) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_rough.png": body(shape=(16, 16, 1))})
    set_id = artist.get("/projects/weir/board")["sets"][0]["id"]
    job = artist.ask("POST", f"/sets/{set_id}/builds", {"target": "orbit-desktop"})["id"]
    wrong = lead("POST", "/projects/weir/delete", {"title": "weir"})
    assert wrong.status_code == 409 and "Weir" in wrong.json()["problem"]
    assert lead("POST", "/projects/weir/delete", {"title": "Weir"}).status_code == 204
    run_queued()
    assert Job.objects.get(pk=job).state == Job.State.CANCELLED
    assert lead.get("/projects") == []
    for path in ("/projects/weir/board", f"/sets/{set_id}", f"/jobs/{job}"):
        assert lead("GET", path).status_code == 404
    # The address is free, and the deed is on the studio's record.
    assert chief.ask("POST", "/projects", {"title": "Weir", "target": "orbit-desktop"})["slug"] == "weir"
    assert "Project Weir deleted" in [step["what"] for step in chief.get("/studio/record")["steps"]]


@pytest.mark.django_db
def test_a_demo_project_that_was_deleted_does_not_come_again_with_the_next_start() -> None:
    call_command("load_demo", size=64, verbosity=0)
    lead = get_user_model().objects.get(username="lead")
    kept = Project.objects.get(slug="glasshouse-nine")
    projects.delete_project(Project.objects.get(slug="tidewheel"), "Tidewheel", lead)
    call_command("load_demo", size=64, verbosity=0)
    assert [entry.pk for entry in Project.objects.all()] == [kept.pk]


# Links


def test_a_link_makes_one_member_in_its_role_and_then_works_no_more(lead: Caller) -> None:
    secret = invited(lead, "artist")
    nobody = Caller(None)
    offered = nobody.ask("POST", "/invitations/look", {"secret": secret})
    assert offered == {"kind": "project", "project": "Weir", "role": "artist", "studio": False, "name": None, "by": "lead"}
    assert take(secret, caller=nobody).json() == {"session": {"user": "wren", "studio": False}, "project": "weir"}
    assert nobody.get("/projects")[0]["role"] == "artist"
    for second in (take(secret, "kestrel"), Caller(None)("POST", "/invitations/look", {"secret": secret})):
        assert second.status_code == 409 and "does not work" in second.json()["problem"]
    assert not get_user_model().objects.filter(username="kestrel").exists()
    said = [step["what"] for step in lead.get("/projects/weir/record?kinds=people")["steps"]]
    assert said == ["wren came in as artist of Weir, invited by lead", "Invited Wren as artist of Weir"]


def test_a_link_never_changes_a_role_that_somebody_has(lead: Caller, guest: Caller) -> None:
    secret = invited(lead, "lead")
    refused = take(secret, caller=guest)
    assert refused.status_code == 409 and "member of Weir already, as guest" in refused.json()["problem"]
    assert Membership.objects.get(user__username="guest").role == Role.GUEST
    # The link is still good for whom it was meant.
    assert take(secret).status_code == 200


@pytest.mark.parametrize("end", ["withdrawn", "old", "inviter gone", "inviter demoted", "archived"])
def test_a_link_ends(lead: Caller, users: Any, project: Project, end: str) -> None:
    secret = invited(lead)
    link = Invitation.objects.get()
    Membership.objects.create(project=project, user=get_user_model().objects.create_user("second"), role=Role.LEAD)
    if end == "withdrawn":
        assert lead.ask("DELETE", f"/projects/weir/invitations/{link.pk}")["invitations"] == []
    elif end == "old":
        Invitation.objects.update(expires=timezone.now() - timedelta(seconds=1))
    elif end == "inviter gone":
        people.disable(users["lead"], None)
    elif end == "inviter demoted":
        people.change_role(project, users["lead"], Role.ARTIST, None)
    else:
        lead.ask("POST", "/projects/weir/archive")
    assert take(secret).status_code == 409


def test_whoever_guesses_links_is_stopped(lead: Caller, settings: Any) -> None:
    settings.MOST_FAILURES_OF_AN_ADDRESS = 5
    secret = invited(lead)
    guesser = Caller(None)
    answers = [guesser("POST", "/invitations/look", {"secret": f"{secret[:-4]}{number:04}"}).status_code for number in range(7)]
    assert answers == [409] * 5 + [429] * 2
    assert secret not in str(list(Invitation.objects.values()))


def test_two_who_take_one_link_at_the_same_moment_are_not_both_let_in(transactional_db: None) -> None:
    lead = get_user_model().objects.create_user("lead", is_staff=True)
    _, secret = people.invite(lead, None, None, "")
    gate = Barrier(2)

    def come(name: str) -> bool:
        gate.wait()
        try:
            people.take(secret, None, name, PASSWORD)
        except TexelError:
            return False
        finally:
            connections.close_all()
        return True

    with ThreadPoolExecutor(2) as pool:
        assert sorted(pool.map(come, ["wren", "kestrel"])) == [False, True]
    assert get_user_model().objects.count() == 2


def test_a_new_password_by_a_link_ends_all_that_stood_open(chief: Caller, users: Any, artist: Caller, project: Project) -> None:
    AccessToken.make(users["artist"], "watcher", project)
    person = chief.get(f"/studio/people/{users['artist'].pk}")
    assert (len(person["open_sessions"]), len(person["open_tokens"])) == (1, 1)
    secret = chief.ask("POST", f"/studio/people/{users['artist'].pk}/password-link")["secret"]
    later = chief.ask("POST", f"/studio/people/{users['artist'].pk}/password-link")["secret"]
    assert take(secret).status_code == 409
    browser = Caller(None)
    assert browser.ask("POST", "/invitations/look", {"secret": later})["name"] == "artist"
    assert take(later, caller=browser).json()["session"]["user"] == "artist"
    assert artist("GET", "/projects").status_code == 401
    assert not AccessToken.objects.exists()
    assert get_user_model().objects.get(username="artist").check_password(PASSWORD)


# Roles, and their end


def test_whoever_is_removed_or_disabled_loses_access_at_once(
    lead: Caller, artist: Caller, chief: Caller, users: Any, project: Project
) -> None:
    _, secret = AccessToken.make(users["artist"], "watcher", project)
    machine = {"HTTP_AUTHORIZATION": f"Bearer {secret}"}
    assert Client().post("/api/projects/weir/arrivals", **machine).status_code == 200
    lead.ask("DELETE", f"/projects/weir/people/{users['artist'].pk}")
    assert artist("GET", "/projects/weir/board").status_code == 404
    assert Client().post("/api/projects/weir/arrivals", **machine).status_code == 401
    # The session goes on, in nobody's project; disabling ends it too.
    assert artist.get("/projects") == []
    chief.ask("PATCH", f"/studio/people/{users['artist'].pk}", {"active": False})
    assert artist("GET", "/projects").status_code == 401
    assert Caller(None)("POST", "/session", {"name": "artist", "password": "artist-password"}).status_code == 401


def test_the_last_leads_stay(lead: Caller, chief: Caller, users: Any) -> None:
    mine = users["lead"].pk
    for method, body in (("DELETE", None), ("PUT", {"role": "artist"})):
        refused = lead(method, f"/projects/weir/people/{mine}", body)
        assert refused.status_code == 409 and "last lead of Weir" in refused.json()["problem"]
    assert chief("PATCH", f"/studio/people/{mine}", {"active": False}).status_code == 409
    chief_id = get_user_model().objects.get(username="chief").pk
    for body in ({"studio": False}, {"active": False}):
        refused = chief("PATCH", f"/studio/people/{chief_id}", body)
        assert refused.status_code == 409 and "last studio lead" in refused.json()["problem"]
    # With a second of each they may go.
    lead.ask("PUT", f"/projects/weir/people/{users['artist'].pk}", {"role": "lead"})
    lead.ask("DELETE", f"/projects/weir/people/{mine}")


def test_two_leads_who_remove_each_other_at_the_same_moment_leave_one(transactional_db: None) -> None:
    project = Project.objects.create(slug="weir", code="we", title="Weir", target="orbit-desktop")
    both = [get_user_model().objects.create_user(name) for name in ("wren", "kestrel")]
    for user in both:
        Membership.objects.create(project=project, user=user, role=Role.LEAD)
    gate = Barrier(2)

    def remove(which: int) -> bool:
        gate.wait()
        try:
            people.remove_member(project, both[which], both[1 - which])
        except TexelError:
            return False
        finally:
            connections.close_all()
        return True

    with ThreadPoolExecutor(2) as pool:
        assert sorted(pool.map(remove, [0, 1])) == [False, True]
    assert Membership.objects.filter(project=project, role=Role.LEAD).count() == 1


# The record


def test_the_record_says_who_did_what_and_is_searched_and_turned_page_by_page(
    lead: Caller, artist: Caller, guest: Caller, body: Callable[..., bytes]
) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_rough.png": body(shape=(16, 16, 1)), "elm_albedo.png": body(seed=3)})
    oak = next(entry for entry in artist.get("/projects/weir/board")["sets"] if entry["name"] == "oak")["id"]
    artist.ask("PATCH", f"/sets/{oak}", {"name": "old oak"})
    lead.ask("POST", f"/sets/{oak}/builds", {"target": "orbit-desktop"})
    run_queued()
    whole = guest.get("/projects/weir/record")
    assert [(step["kind"], step["by"]) for step in whole["steps"]] == [
        ("build", "lead"),
        ("set", "artist"),
        ("arrival", "artist"),
    ]
    assert whole["steps"][2]["what"] == "Files arrived: 3 taken; 2 new sets"
    assert whole["people"] == ["artist", "lead"]
    # What can be taken back says so, to whom may.
    assert [step["may_undo"] for step in artist.get("/projects/weir/record")["steps"]] == [False, True, False]
    assert not any(step["may_undo"] for step in whole["steps"])
    for asked, kinds in {
        "by=lead": ["build"],
        f"set={oak}": ["build", "set"],
        "kinds=arrival&kinds=set": ["set", "arrival"],
        "words=old%20renamed": ["set"],
        f"before={whole['steps'][1]['id']}": ["arrival"],
    }.items():
        assert [step["kind"] for step in guest.get(f"/projects/weir/record?{asked}")["steps"]] == kinds, asked
    assert guest("GET", "/projects/weir/record?kinds=nonsense").status_code == 422


def test_two_people_who_rename_one_thing_hear_of_each_other(lead: Caller, artist: Caller) -> None:
    before = lead.get("/projects/weir/board")["project"]["stamp"]
    lead.ask("PATCH", f"/projects/weir?seen={before}", {"title": "Lock"})
    late = lead("PATCH", f"/projects/weir?seen={before}", {"title": "Sluice"})
    assert late.status_code == 409 and "Renamed from Weir to Lock" in late.json()["problem"]
    (mill,) = artist.ask("POST", "/projects/weir/folders", {"name": "mill"})
    place = f"/projects/weir/folders/{mill['id']}"
    artist.ask("PUT", f"{place}/name?seen=mill", {"name": "old mill"})
    for method, path, body in (("PUT", "/name", {"name": "new"}), ("PUT", "/place", {"parent": None}), ("DELETE", "", None)):
        late = lead(method, f"{place}{path}?seen=mill", body)
        assert late.status_code == 409 and "is old mill by now (artist" in late.json()["problem"], path
    assert [entry["path"] for entry in lead.get("/projects/weir/folders")] == ["old mill"]


@pytest.mark.parametrize("name", ["ａdmin", "аdmin", "m²", "..", ".", "-x", "1", "a b", "ad\u200bmin", ""])
def test_accounts_that_look_alike_are_not_made(name: str, db: None) -> None:
    with pytest.raises(TexelError, match="will not do as a name"):
        make_account(name, PASSWORD)


@pytest.mark.parametrize("password", [" " * 12, "\u2003" * 12, "aaaaaaaaaaaa", "a b a b a b a b"])
def test_passwords_of_blanks_and_of_one_key_are_refused(password: str, db: None) -> None:
    with pytest.raises(TexelError, match=r"different characters|too common|blanks"):
        make_account("miller", password)


def test_names_hold_nothing_that_nobody_sees(lead: Caller, artist: Caller) -> None:
    for sign in "\x07\u202e\u200b\u2066\ufeff":
        for path, body in (("/sets", {"name": f"oak{sign}"}), ("/folders", {"name": f"{sign}mill"})):
            refused = artist("POST", f"/projects/weir{path}", body)
            assert refused.status_code == 422 and f"U+{ord(sign):04X}" in refused.json()["problem"]
        assert lead("PATCH", "/projects/weir", {"title": f"W{sign}eir"}).status_code == 422
    assert artist("POST", "/projects/weir/folders", {"name": "Mühle 木"}).status_code == 200
