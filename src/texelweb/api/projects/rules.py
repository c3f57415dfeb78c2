"""House rules: versions, tester, and the rename plan."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import get_args

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema
from pydantic import BaseModel

from texelcore.naming.house import subject_by_name
from texelcore.naming.judge import judge_name
from texelcore.naming.rules import HouseRules
from texelcore.naming.written import name_for
from texelcore.surface.checks import CHECKS, Preset, Say
from texelcore.surface.properties import property_of
from texelweb.accounts.access import Access, enter
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody
from texelweb.api.versions import Difference, VersionLine, differences, document_of, version_lines
from texelweb.projects.models import RANK, Project, Role, RulesVersion
from texelweb.projects.versions import newest_number
from texelweb.refusals import not_found
from texelweb.sets.answering import house
from texelweb.sets.changing import renames
from texelweb.sets.models import RenameAct

router = Router(tags=["rules"])
_MOST_SHOWN = 30
PRESETS: tuple[Preset, ...] = get_args(Preset)


class LimitView(Schema):
    """A number that a check goes by."""

    key: str
    title: str
    default: float
    low: float
    high: float
    unit: str


class CheckView(Schema):
    """A kind of check: what it looks for, its limits, and how loud it is by preset."""

    rule: str
    title: str
    about: str
    limits: list[LimitView]
    presets: dict[Preset, Say]


class RulesView(Schema):
    """A project's house rules as they are now. `version` 0 are the defaults, before anybody wrote any."""

    version: int
    rules: HouseRules
    versions: list[VersionLine]
    may_edit: bool


class RulesSaved(Schema):
    """New house rules. `base` is the version that they were made from: another one in between is not overwritten."""

    base: int
    rules: HouseRules
    what: str = Field(default="Changed", max_length=200)


class NamesTried(Schema):
    """Names for the tester, against rules that may not have been saved yet."""

    rules: HouseRules
    names: list[str] = Field(max_length=500)


class NameTried(Schema):
    """What the tester says of a name: what it seems to mean, what it breaks, and what the rules would write."""

    name: str
    holds: bool
    meaning: str
    breaks: list[str]
    would_be: str


class RenameLine(BaseModel):
    """One line of a rename plan; `set_id` is the set that the file belongs to."""

    file: int
    set_id: int | None
    old: str
    new: str | None
    rules: list[str]
    why: list[str]
    note: str


class RenameActView(BaseModel):
    """A rename that was applied."""

    id: int
    count: int
    by: str
    at: datetime
    undone: datetime | None


class RenamePlanView(BaseModel):
    """What the house rules would rename, a stamp of that plan, and the renames that were applied last."""

    stamp: str
    lines: list[RenameLine]
    acts: list[RenameActView]


class RenameAsked(Schema):
    """Apply the plan with this stamp, for all files or for some."""

    stamp: str
    files: list[int] | None = None


@router.get("/projects/{slug}/rules", response={200: RulesView, 404: ErrorBody}, operation_id="get_rules")
def get_rules(request: HttpRequest, slug: str) -> RulesView:
    """The house rules and their versions."""
    return _view(enter(request, slug))


@router.put("/projects/{slug}/rules", response={200: RulesView, 403: ErrorBody, 409: ErrorBody}, operation_id="save_rules")
def save_rules(request: HttpRequest, slug: str, body: RulesSaved) -> RulesView:
    """Keep new house rules as the newest version; what was open is asked anew by them."""
    access = enter(request, slug, Role.LEAD)
    house.change_rules(access.project, body.rules, body.what, access.user, body.base)
    return _view(access)


@router.get("/checks", response=list[CheckView], operation_id="list_checks")
def list_checks(request: HttpRequest) -> list[CheckView]:
    """All kinds of checks, with their limits and how loud each is by preset."""
    return [
        CheckView(
            rule=check.rule,
            title=check.title,
            about=check.about,
            limits=[LimitView(**asdict(limit)) for limit in check.limits],
            presets={preset: check.say(preset) for preset in PRESETS},
        )
        for check in CHECKS
    ]


@router.get("/projects/{slug}/rules/{number}/document", response={200: HouseRules, 404: ErrorBody}, operation_id="export_rules")
def export_rules(request: HttpRequest, slug: str, number: int) -> HttpResponse:
    """One version as the JSON document that the command line reads; version 0 is the default."""
    project = enter(request, slug).project
    rules = document_of(project, RulesVersion, number, HouseRules(hold=False))
    answer = HttpResponse(rules.to_json(), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{project.slug}-rules-v{number}.json"'
    return answer


@router.get(
    "/projects/{slug}/rules/{number}/differences",
    response={200: list[Difference], 404: ErrorBody},
    operation_id="compare_rules",
)
def compare_rules(request: HttpRequest, slug: str, number: int) -> list[Difference]:
    """What an older version of the rules has otherwise than the newest; version 0 is the default."""
    project = enter(request, slug).project
    return differences(project.rules, document_of(project, RulesVersion, number, HouseRules(hold=False)))


@router.post("/projects/{slug}/rules/try", response={200: list[NameTried], 404: ErrorBody}, operation_id="try_names")
def try_names(request: HttpRequest, slug: str, body: NamesTried) -> list[NameTried]:
    """Hold names against rules, saved or not. Nothing is changed, so a guest may ask too."""
    project = enter(request, slug).project
    return [_tried(body.rules, name, project.code) for name in body.names]


@router.get("/projects/{slug}/renames", response={200: RenamePlanView, 404: ErrorBody}, operation_id="get_rename_plan")
def get_rename_plan(request: HttpRequest, slug: str) -> HttpResponse:
    """Everything that breaks a naming rule, old path beside new."""
    # Written as it is: thousands of lines that were just made are not checked once more.
    plan = _plan_view(enter(request, slug).project)
    return HttpResponse(plan.model_dump_json(), content_type="application/json")


@router.get(
    "/projects/{slug}/renames/csv", response={404: ErrorBody}, operation_id="get_rename_csv", openapi_extra=serves("text/csv")
)
def get_rename_csv(request: HttpRequest, slug: str) -> HttpResponse:
    """The plan as CSV."""
    project = enter(request, slug).project
    answer = HttpResponse(renames.rename_plan(project).to_csv(), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{project.slug}-renames.csv"'
    return answer


@router.post(
    "/projects/{slug}/renames", response={200: RenamePlanView, 403: ErrorBody, 409: ErrorBody}, operation_id="apply_renames"
)
def apply_renames(request: HttpRequest, slug: str, body: RenameAsked) -> RenamePlanView:
    """Apply the plan as one step."""
    access = enter(request, slug, Role.ARTIST)
    renames.apply(access.project, body.stamp, body.files, access.user)
    return _plan_view(access.project)


@router.post(
    "/renames/{rename_id}/undo", response={200: RenamePlanView, 403: ErrorBody, 409: ErrorBody}, operation_id="undo_rename"
)
def undo_rename(request: HttpRequest, rename_id: int) -> RenamePlanView:
    """Undo a rename as one step."""
    act = RenameAct.objects.filter(pk=rename_id).select_related("project").first()
    if act is None:
        raise not_found("The rename")
    access = enter(request, act.project, Role.ARTIST)
    renames.undo(act, access.user)
    return _plan_view(access.project)


def _view(access: Access) -> RulesView:
    return RulesView(
        version=newest_number(access.project, RulesVersion),
        rules=access.project.rules,
        versions=version_lines(access.project.rules_versions),
        may_edit=RANK[access.role] >= RANK[Role.LEAD],
    )


def _tried(rules: HouseRules, name: str, project: str) -> NameTried:
    subject = subject_by_name(name, rules, project)
    # A bare name that was typed lies in no folder at all.
    breaks = [entry for entry in judge_name(rules, name, subject) if "/" in name or entry.rule != "folder"]
    meaning, would_be = "says nothing that is known", ""
    if subject:
        titles = [_title(key) for key in subject.properties]
        direction = f", {subject.direction.replace('-', '−')}" if subject.direction else ""
        meaning = f"{subject.set_name}: {', '.join(titles).lower()}{direction}"
        would_be = name_for(rules, subject)
    return NameTried(
        name=name,
        holds=not breaks and subject is not None,
        meaning=meaning,
        breaks=[entry.message for entry in breaks],
        would_be=would_be,
    )


def _title(key: str) -> str:
    return "gloss" if key == "gloss" else property_of(key).title


def _plan_view(project: Project) -> RenamePlanView:
    plan = renames.rename_plan(project)
    sets = dict(project.files.filter(pk__in=[int(line.file) for line in plan.lines]).values_list("pk", "set_id"))
    acts = project.renames.select_related("by").order_by("-pk")[:_MOST_SHOWN]
    return RenamePlanView(
        stamp=renames.stamp_of(plan),
        lines=[
            RenameLine(
                file=int(line.file),
                set_id=sets.get(int(line.file)),
                old=line.old,
                new=line.new,
                rules=list(line.rules),
                why=list(line.why),
                note=line.note,
            )
            for line in plan.lines
        ],
        acts=[
            RenameActView(
                id=act.pk,
                count=len(act.lines_json),
                by=act.by.get_username() if act.by else "",
                at=act.at,
                undone=act.undone,
            )
            for act in acts
        ],
    )
