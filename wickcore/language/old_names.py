"""Names of the language that were once called otherwise: rules that say the old name go on working."""

from wickcore.language.shapes import OLD_NAMES as OLD_PATTERNS

OLD_NAMES = {**OLD_PATTERNS, "squeeze_fired": "squeeze_released"}
