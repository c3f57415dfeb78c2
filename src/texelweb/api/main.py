"""The API. Every endpoint but signing in needs a session, and a CSRF token where it changes something; only
where files are brought in does an access token do as well."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse

from texelweb.accounts.receiving import page_auth
from texelweb.api import errors
from texelweb.api.builds.builds import router as builds
from texelweb.api.builds.environments import router as environments
from texelweb.api.builds.proofs import router as proofs
from texelweb.api.builds.stage import router as stage
from texelweb.api.deliveries.deliveries import router as deliveries
from texelweb.api.deliveries.depot import router as depot
from texelweb.api.documenting import DocumentedAPI
from texelweb.api.jobs import router as jobs
from texelweb.api.library.designing import router as designing
from texelweb.api.library.library import router as library
from texelweb.api.masters.blocks import router as blocks
from texelweb.api.masters.sheets import router as masters
from texelweb.api.masters.variantfiles import router as variantfiles
from texelweb.api.masters.variants import router as variants
from texelweb.api.masters.vocabulary import router as vocabulary
from texelweb.api.parsing import StrictParser
from texelweb.api.people.account import router as account
from texelweb.api.people.joining import router as joining
from texelweb.api.people.people import router as people
from texelweb.api.people.session import router as session
from texelweb.api.projects.machine import router as machine
from texelweb.api.projects.managing import router as managing
from texelweb.api.projects.projects import router as projects
from texelweb.api.projects.record import router as record
from texelweb.api.projects.rules import router as rules
from texelweb.api.projects.saved import router as saved
from texelweb.api.projects.space import router as space
from texelweb.api.sets.arrivals import router as arrivals
from texelweb.api.sets.files import router as files
from texelweb.api.sets.many import router as many
from texelweb.api.sets.meshes import router as meshes
from texelweb.api.sets.models import router as models
from texelweb.api.sets.pictures import router as pictures
from texelweb.api.sets.questions import router as questions
from texelweb.api.sets.repacking import router as repacking
from texelweb.api.sets.sets import router as sets
from texelweb.refusals import Refused


def for_users(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """The description of the API is for those who may use it."""

    def shown(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            refused = Refused(401, "You", "are not signed in.", "Sign in and try again.")
            return JsonResponse(refused.body, status=refused.status)
        return view(request, *args, **kwargs)

    return shown


api = DocumentedAPI(
    title="Fair Texel",
    version="0.1.0",
    auth=page_auth,
    docs_url=None,
    parser=StrictParser(),
    docs_decorator=for_users,
    urls_namespace="api",
)
errors.install(api)
ROUTERS = (
    *(
        session,
        joining,
        account,
        managing,
        machine,
        people,
        projects,
        arrivals,
        depot,
        questions,
        rules,
        files,
        sets,
        many,
        saved,
        space,
        meshes,
        models,
        builds,
        proofs,
    ),
    *(
        library,
        designing,
        repacking,
        vocabulary,
        masters,
        blocks,
        variants,
        variantfiles,
        deliveries,
        pictures,
        stage,
        environments,
        jobs,
        record,
    ),
)
for router in ROUTERS:
    api.add_router("", router)
