"""App configuration."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Jobs."""

    name = "texelweb.jobs"
