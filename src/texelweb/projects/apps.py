"""App configuration."""

from django.apps import AppConfig


class ProjectsConfig(AppConfig):
    """Projects."""

    name = "texelweb.projects"
