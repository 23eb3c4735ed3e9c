"""What a password may not be."""

import re
from typing import Any

from django.core.exceptions import ValidationError

LEAST_OTHER, LEAST_DISTINCT = 8, 5


class NotTheName:
    """A password is not the account's name, once or twice, forwards or backwards, with a few signs around it, nor a few signs over and over."""

    def validate(self, password: str, user: Any = None) -> None:
        folded = password.casefold()
        name = user.get_username().casefold() if user is not None else ""
        rest = folded
        for part in (name, name[::-1]):
            if len(part) > 2:
                rest = rest.replace(part, "")
        if rest != folded and len(re.sub(r"[\W\d_]", "", rest)) < LEAST_OTHER:
            raise ValidationError("The password is little more than the name; choose another.")
        if len(set(folded)) < LEAST_DISTINCT:
            raise ValidationError("The password is a few signs over and over; choose another.")

    def get_help_text(self) -> str:
        return "The password is not made of the name."
