"""What a password must have beside length."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError

LEAST_DIFFERENT = 5


class DifferentCharacters:
    """Refuses passwords of one key, and of blanks: so many different characters that are seen are needed."""

    def validate(self, password: str, user: Any = None) -> None:
        """Raises ValidationError for too few."""
        if len({sign for sign in password if sign.isprintable() and not sign.isspace()}) < LEAST_DIFFERENT:
            raise ValidationError(self.get_help_text())

    def get_help_text(self) -> str:
        """The rule in words."""
        return f"It needs {LEAST_DIFFERENT} different characters that are no blanks."
