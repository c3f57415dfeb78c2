"""App configuration."""

from django.apps import AppConfig


class DeliveriesConfig(AppConfig):
    """Deliveries."""

    name = "texelweb.deliveries"
