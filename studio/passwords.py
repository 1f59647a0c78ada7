"""How passwords are kept, and which will not do."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.hashers import Argon2PasswordHasher
from django.core.exceptions import ValidationError


class Argon2(Argon2PasswordHasher):
    """Argon2id with 19 MiB, two passes and one lane, the least that the OWASP Password Storage Cheat Sheet names: one log-in
    takes one core and not all of them."""

    time_cost = 2
    memory_cost = 19 * 1024
    parallelism = 1


class RepeatedValidator:
    """Refuses a password that is one piece over and over again: it is as quickly guessed as the piece."""

    def validate(self, password: str, user: Any = None) -> None:
        """Raises a ValidationError for one that will not do."""
        plain = password.casefold()
        # A text is a piece repeated if and only if it is found within itself, written twice, before its own length.
        if (plain + plain).find(plain, 1) < len(plain):
            raise ValidationError("This password is one piece repeated.", "password_repeated")

    def get_help_text(self) -> str:
        """For forms of Django's admin."""
        return "Your password cannot be one piece repeated."
