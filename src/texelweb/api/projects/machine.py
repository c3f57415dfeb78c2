"""What build machines ask for, with an access token or a session: the project document, and how the project stands."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from texelcore.pixels.errors import TexelError
from texelcore.project.document import LARGEST, ProjectDocument, read_project
from texelweb.accounts.access import enter, leads_studio
from texelweb.accounts.receiving import ProgramAuth, page_auth, receives
from texelweb.api.schemas import ErrorBody
from texelweb.board.overview import Overview, overview
from texelweb.bulk.models import Bulk
from texelweb.bulk.run import not_done
from texelweb.exchange.importing import take_document
from texelweb.exchange.write import document_of
from texelweb.projects.models import Role
from texelweb.record.steps import note_deed
from texelweb.sets.answering import questions

router = Router(tags=["build machines"], auth=[ProgramAuth(), page_auth])


class LeftSet(Schema):
    """A set of a document that was not taken, and why."""

    name: str
    why: str


class DocumentTaken(Schema):
    """What became of a project document."""

    made: int
    changed: int
    variants: int
    left: list[LeftSet]


class Standing(Schema):
    """How a project stands: its sets, what is open, what is wrong, and what could be built or proved and is not, each with how
    many."""

    title: str
    sets: int
    questions: int
    open_files: int
    wrong: int
    not_built: int
    not_proved: int


@router.get(
    "/projects/{slug}/document", response={200: ProjectDocument, 404: ErrorBody, 409: ErrorBody}, operation_id="export_project"
)
def export_project(request: HttpRequest, slug: str) -> HttpResponse:
    """All that decides the project's bytes, as one document."""
    access = enter(request, slug)
    answer = HttpResponse(document_of(access.project).to_json(), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{access.project.slug}.project.json"'
    return answer


@router.post(
    "/projects/{slug}/document",
    response={200: DocumentTaken, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody},
    operation_id="import_project",
)
@receives(LARGEST, lambda request, slug: enter(request, slug, Role.LEAD))
def import_project(request: HttpRequest, slug: str, file: File[UploadedFile]) -> DocumentTaken:
    """Take a project document in: rules, tolerances, and every set whose files are all here. One undo takes all of it back."""
    access = enter(request, slug, Role.LEAD)
    name = (file.name or "The document").rpartition("/")[2][-80:]
    if file.size is None or file.size > LARGEST:
        raise TexelError(name, f"is larger than {LARGEST / 1e6:,.0f} MB.", "Export it anew.")
    with transaction.atomic():
        document = read_project(file.read(), name)
        taken = take_document(access.project, document, access.user, for_studio=leads_studio(request))
        said = f"Project document imported: {taken.changed} sets changed, {taken.made} made, {len(taken.left)} left"
        note_deed(access.project, "project", said, access.user, name)
    left = [LeftSet(name=name, why=why) for name, why in taken.left]
    return DocumentTaken(made=taken.made, changed=taken.changed, variants=taken.variants, left=left)


@router.get("/projects/{slug}/standing", response={200: Standing, 404: ErrorBody}, operation_id="get_standing")
def get_standing(request: HttpRequest, slug: str) -> Standing:
    """How a project stands, in numbers."""
    project = enter(request, slug).project
    board = Overview.model_validate_json(overview(project))
    return Standing(
        title=project.title,
        sets=len(board.sets),
        questions=questions.count(project),
        open_files=project.files.filter(set=None).count(),
        wrong=sum(any(cell.state == "wrong" for cell in texture_set.cells.values()) for texture_set in board.sets),
        not_built=len(not_done(project, Bulk.Action.BUILD)),
        not_proved=len(not_done(project, Bulk.Action.PROVE)),
    )
