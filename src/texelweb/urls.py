"""Addresses: the API, and the front end for everything else."""

from django.urls import path, re_path

from texelweb.api.main import api
from texelweb.page import page

urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|static/).*$", page)]
