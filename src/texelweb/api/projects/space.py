"""What the studio's data take, how long what can be made again is kept, and tidying now. For studio leads."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Field, Router, Schema
from procrastinate.exceptions import AlreadyEnqueued

from texelweb.accounts.access import enter_studio
from texelweb.api.schemas import ErrorBody
from texelweb.record.steps import note_deed
from texelweb.refusals import Refused
from texelweb.studio.models import Retention
from texelweb.upkeep import space
from texelweb.upkeep.tasks import tidy_at_night

router = Router(tags=["space"])


class SpaceKind(Schema):
    """One kind of data: how many, how many bytes (null where storage does not say), and whether it can be made again."""

    key: str
    count: int
    bytes: int | None
    again: bool


class SpaceOfProject(Schema):
    """What a project's sources take."""

    slug: str
    title: str
    sources: int
    bytes: int


class RetentionView(Schema):
    """How long what can be made again is kept: the last builds of each set and target, all for so many days, and the last
    deliveries of each project and target, 0 being all."""

    builds: int = Field(ge=1, le=1000)
    days: int = Field(ge=1, le=3650)
    deliveries: int = Field(ge=0, le=10_000)


class Space(Schema):
    """What the studio's data take."""

    kinds: list[SpaceKind]
    projects: list[SpaceOfProject]
    retention: RetentionView


SPACE = {200: Space, 403: ErrorBody, 409: ErrorBody}


@router.get("/studio/space", response=SPACE, operation_id="get_space")
def get_space(request: HttpRequest) -> Space:
    """What the studio's data take, and how long they are kept."""
    enter_studio(request)
    return _space()


@router.put("/studio/retention", response=SPACE, operation_id="set_retention")
def set_retention(request: HttpRequest, body: RetentionView) -> Space:
    """Say how long what can be made again is kept. It holds from the next tidying."""
    me = enter_studio(request)
    deliveries = f"the last {body.deliveries} deliveries" if body.deliveries else "all deliveries"
    with transaction.atomic():
        Retention.objects.update_or_create(pk=1, defaults=body.dict())
        said = f"Kept from now on: {body.builds} builds of a set, {body.days} days, {deliveries}"
        note_deed(None, "project", said, me, "Space")
    return _space()


@router.post("/studio/tidy", response=SPACE, operation_id="tidy_now")
def tidy_now(request: HttpRequest) -> Space:
    """Have a worker tidy now, as every night: nothing that anything refers to is removed."""
    me = enter_studio(request)
    try:
        with transaction.atomic():
            note_deed(None, "project", "Asked for tidying", me, "Space")
            tidy_at_night.defer(timestamp=0)
    except AlreadyEnqueued as error:
        raise Refused(409, "Tidying", "is waiting for a worker already.", "Look again in a minute.") from error
    return _space()


def _space() -> Space:
    kept = Retention.now()
    return Space(
        kinds=[SpaceKind.from_orm(entry) for entry in space.kinds()],
        projects=[SpaceOfProject.from_orm(entry) for entry in space.projects()],
        retention=RetentionView(builds=kept.builds, days=kept.days, deliveries=kept.deliveries),
    )
