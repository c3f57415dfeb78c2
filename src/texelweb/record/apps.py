"""App configuration."""

from django.apps import AppConfig


class RecordConfig(AppConfig):
    """The record of a project."""

    name = "texelweb.record"
