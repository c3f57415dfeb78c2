"""The API. Every endpoint but signing in needs a session; every one that changes something needs a CSRF token."""

from __future__ import annotations

from ninja import NinjaAPI
from ninja.security import django_auth

from texelweb.api import errors
from texelweb.api.arrivals import router as arrivals
from texelweb.api.builds import router as builds
from texelweb.api.deliveries import router as deliveries
from texelweb.api.jobs import router as jobs
from texelweb.api.masters import router as masters
from texelweb.api.pictures import router as pictures
from texelweb.api.projects import router as projects
from texelweb.api.proofs import router as proofs
from texelweb.api.session import router as session
from texelweb.api.sets import router as sets
from texelweb.api.variants import router as variants

api = NinjaAPI(title="Fair Texel", version="0.1.0", auth=django_auth, docs_url=None, urls_namespace="api")
errors.install(api)
for router in (session, projects, arrivals, sets, builds, proofs, masters, variants, deliveries, pictures, jobs):
    api.add_router("", router)
