"""The command `vendors`: how the files of each sender are read."""

import json
from argparse import Namespace
from pathlib import Path
from typing import Any

from upperwick.cli.shared import Bad, emit, with_database


def vendors(given: Namespace) -> None:
    """Lists, shows, changes, exports or imports what is remembered of vendors."""
    with_database()
    from upperwick.base.errors import Refused
    from upperwick.data import vendors as service
    from upperwick.data.models import Vendor

    def report(kept: list[Any]) -> None:
        if given.json:
            return emit({"vendors": [service.as_record(v) for v in kept]})
        for vendor in kept:
            answers = "; ".join(f"{name} {_words(value)}" for name, value in sorted(vendor.answers.items()))
            print(f"{vendor.name}\n  files {vendor.pattern}\n  headings {vendor.heading}\n  {answers}")
        return None

    try:
        if given.act in ("list", "export"):
            kept = list(Vendor.objects.all())
            if given.act == "export":
                records = [service.as_record(v) for v in kept]
                if given.name:
                    Path(given.name).write_text(json.dumps(records, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
                    return print(f"{len(records)} vendors written to {given.name}.")
                return print(json.dumps(records, indent=2, ensure_ascii=False))
            if not kept and not given.json:
                return print("No vendor is remembered yet: one is kept with the first import whose files could be read two ways.")
            return report(kept)
        if not given.name:
            raise Bad(f"`vendors {given.act}` needs {'a file' if given.act == 'import' else 'the name of a vendor'}.")
        if given.act == "import":
            try:
                records = json.loads(Path(given.name).read_text(encoding="utf-8"))
            except (OSError, ValueError, RecursionError) as error:
                raise Bad(f"{given.name} cannot be read: {error}.") from None
            return report(service.bring_in_records(records))
        vendor = service.by_name(given.name)
        if given.act == "show":
            return report([vendor])
        if given.act == "delete":
            vendor.delete()
            return print(f"{given.name} is forgotten; its next files are asked about anew.")
        if given.act == "rename":
            if len(given.changes) != 1:
                raise Bad("`vendors rename NAME NEW` takes the new name.")
            return report([service.change(vendor, name=given.changes[0])])
        changes: dict[str, Any] = {}
        for part in given.changes:
            key, equals, value = part.partition("=")
            if not equals:
                raise Bad(f"`{part}` is not of the form ANSWER=VALUE.")
            changes[key] = value
        pattern = changes.pop("pattern", None)
        columns = changes.pop("columns", None)
        if columns is not None:
            pairs = dict(part.split("=", 1) for part in columns.split(";") if "=" in part)
            changes["columns"] = {**vendor.answers.get("columns", {}), **pairs}
        return report([service.change(vendor, pattern=pattern, answers=changes)])
    except Refused as error:
        raise Bad(error.detail) from None


def _words(value: Any) -> str:
    return ", ".join(f"{k} = {v or 'left out'}" for k, v in value.items()) if isinstance(value, dict) else str(value)
