"""A project's house rules and tolerances, changed as steps of its record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from pydantic import BaseModel

from texelcore.naming.rules import HouseRules
from texelcore.proof.tolerances import Tolerances
from texelweb.projects.models import Project, Role, TolerancesVersion
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_step, one_by_one, register
from texelweb.sets.answering.questions import save_rules
from texelweb.sets.arrivals.sorting import sort_open

Json = Mapping[str, Any]
RULES, TOLERANCES = "rules", "tolerances"


def register_ways() -> None:
    """Tell the record how rules and tolerances go back."""
    register(RULES, one_by_one(lambda project, _: _json(project.rules), _write_rules, least=Role.LEAD))
    register(TOLERANCES, one_by_one(lambda project, _: _json(project.tolerances), _write_tolerances, least=Role.LEAD))


@transaction.atomic
def change_rules(project: Project, rules: HouseRules, what: str, user: Any, base: int | None) -> None:
    """Keep house rules as the newest version; what was open is sorted and asked anew by them. Raises Overtaken when there is a
    newer version than `base`."""
    before = _json(project.rules)
    save_rules(project, rules, what, user, base)
    sort_open(project, user)
    note_step(project, RULES, "", "House rules", what, user, before, _json(rules))


@transaction.atomic
def change_tolerances(project: Project, tolerances: Tolerances, what: str, user: Any, base: int | None) -> None:
    """Keep house tolerances as the newest version; proofs are judged by them from then on. Raises Overtaken as `change_rules`."""
    before = _json(project.tolerances)
    _save(project, tolerances, what, user, base)
    note_step(project, TOLERANCES, "", "House tolerances", what, user, before, _json(tolerances))


def _write_rules(project: Project, _: str, document: Json, what: str, user: Any) -> None:
    save_rules(project, HouseRules.model_validate(document), what, user)
    sort_open(project, user)


def _write_tolerances(project: Project, _: str, document: Json, what: str, user: Any) -> None:
    _save(project, Tolerances.model_validate(document), what, user, None)


def _save(project: Project, tolerances: Tolerances, what: str, user: Any, base: int | None) -> None:
    append_version(project, TolerancesVersion, tolerances, what, user, base, "The house tolerances")


def _json(document: BaseModel) -> Json:
    return document.model_dump(mode="json")
