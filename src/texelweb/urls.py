"""Addresses: the API, whether the server is well, and the front end for everything else."""

from django.urls import path, re_path

from texelweb.api.main import api
from texelweb.health import alive, ready
from texelweb.page import page

urlpatterns = [
    path("api/", api.urls),
    path("healthz", alive),
    path("readyz", ready),
    re_path(r"^(?!api/|static/).*$", page),
]
handler400 = "texelweb.api.errors.bad_request"
handler404 = "texelweb.api.errors.no_such_address"
handler500 = "texelweb.api.errors.fault"
