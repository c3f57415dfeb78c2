"""App configuration."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Accounts."""

    name = "texelweb.accounts"
