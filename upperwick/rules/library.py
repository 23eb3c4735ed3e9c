"""The library: folders and tags, rules as files and zips, and links for other accounts."""

import io
import lzma
import re
import secrets
import struct
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.rules import breadths
from upperwick.rules.models import Rule
from upperwick.rules.naming import header_in, name_in
from upperwick.rules.services import create, parts_of, rules_of, used_parts
from wickcore.language.named_texts import name_of
from wickcore.language.parser import MAX_CHARACTERS

MOST_FILES, MOST_BYTES = 500, 2_000_000
MOST_LISTED, MOST_UNPACKED = 2_000, 8_000_000  # what one request may hold in all of its zips: entries, bytes unpacked
MOST_PROBLEMS = 100  # that are named one by one


def file(rule: Rule, folder: str | None, tags: Sequence[str] | None) -> Rule:
    """Puts a rule into a folder ("" for none) and under tags; None leaves either as it is."""
    if folder is not None:
        rule.folder = " ".join(folder.split())
    if tags is not None:
        rule.tags = sorted({" ".join(tag.lower().split()) for tag in tags} - {""})
    # Where it lies is no part of what was saved when.
    rule.save(update_fields=["folder", "tags"])
    return rule


def as_zip(owner: Any) -> bytes:
    """All of the owner's rules as `.rule` text, each in its folder."""
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as archive:
        taken: set[str] = set()
        for rule in rules_of(owner):
            path, number = _path(rule.folder, rule.name), 2
            while path.lower() in taken:
                path, number = _path(rule.folder, f"{rule.name} {number}"), number + 1
            taken.add(path.lower())
            archive.writestr(path, rule.text)
    return sink.getvalue()


def _path(folder: str, name: str) -> str:
    safe = [re.sub(r'[\\/:*?"<>|\x00-\x1f]', "-", part).strip(". ") or "rule" for part in (folder, name) if part]
    return "/".join(safe) + ".rule"


def bring(owner: Any, files: Sequence[tuple[str, bytes]]) -> dict[str, list[str]]:
    """Keeps the rules of `.rule` files and of zips of them, each under a free name; what cannot be read is named."""
    added: list[str] = []
    problems: list[str] = []
    left = _Left()
    for name, content in files:
        for path, data in _texts(name, content, problems, left):
            if len(added) >= MOST_FILES:
                problems.append(f"{path}: only {MOST_FILES} rules are taken at once.")
                continue
            try:
                text = data.decode("utf-8-sig")
                *folders, last = path.replace("\\", "/").split("/")
                with transaction.atomic():
                    rule = create(owner, text, name_in(text) or last.removesuffix(".rule")[:120])
                    added.append(file(rule, folders[-1][:60] if folders else None, None).name)
            except UnicodeDecodeError:
                problems.append(f"{path}: this is no text in UTF-8.")
            except Refused as refused:
                problems.append(f"{path}: {refused.detail}")
    if len(problems) > MOST_PROBLEMS:
        problems[MOST_PROBLEMS:] = [f"… and {len(problems) - MOST_PROBLEMS:,} more that could not be taken."]
    return {"added": added, "problems": [said.encode("utf-8", "replace").decode() for said in problems]}


@dataclass
class _Left:
    """What a request may still unpack."""

    entries: int = MOST_LISTED
    size: int = MOST_UNPACKED


def _texts(name: str, content: bytes, problems: list[str], left: _Left) -> list[tuple[str, bytes]]:
    if len(content) > MOST_BYTES:
        problems.append(f"{name}: a file is at most {MOST_BYTES // 1_000_000} MB.")
        return []
    if not name.lower().endswith(".zip"):
        return [(name, content)]
    found: list[tuple[str, bytes]] = []
    before = len(problems)
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            for entry in archive.infolist():
                left.entries -= 1
                if left.entries < 0 or left.size < 0:
                    problems.append(f"{name}: more than can be unpacked at once; bring the rest in another go.")
                    break
                if entry.is_dir() or not entry.filename.lower().endswith(".rule"):
                    continue
                # What a zip says of a size may be untrue: no more is read than a rule can hold.
                with archive.open(entry) as member:
                    data = member.read(4 * MAX_CHARACTERS + 1)
                left.size -= len(data)
                if len(data) > 4 * MAX_CHARACTERS:
                    problems.append(f"{entry.filename}: a rule is at most {MAX_CHARACTERS:,} characters.")
                else:
                    found.append((entry.filename, data))
    except (
        zipfile.BadZipFile,
        zlib.error,
        lzma.LZMAError,
        EOFError,
        OSError,
        NotImplementedError,
        RuntimeError,
        ValueError,
        struct.error,
    ):
        problems.append(f"{name}: this is no zip that can be read, or not to its end.")
    if not found and len(problems) == before:
        problems.append(f"{name}: it holds no .rule files.")
    return found


def share(rule: Rule) -> Rule:
    """Gives the rule a link; one it has already stays."""
    if rule.share is None:
        rule.share = secrets.token_urlsafe(18)
        rule.save(update_fields=["share"])
    return rule


def unshare(rule: Rule) -> Rule:
    """Makes the rule's link void."""
    rule.share = None
    rule.save(update_fields=["share"])
    return rule


def _by_link(token: str) -> Rule:
    rule = Rule.objects.filter(share=token, deleted__isnull=True).select_related("owner").first()
    if rule is None:
        raise Refused("This link leads to no rule: it was taken back, or the rule is gone.", 404)
    return rule


def shared(token: str) -> dict[str, Any]:
    """A rule given away by its link. Raises Refused (404)."""
    rule = _by_link(token)
    return {
        "name": rule.name,
        "about": header_in(rule.text, "about"),
        "owner": rule.owner.get_username(),
        "text": rule.text,
        "parts": used_parts(rule.owner, rule.text, rule.name),
    }


@transaction.atomic
def copy_shared(owner: Any, token: str) -> tuple[Rule, list[str]]:
    """Copies a shared rule with the rules it uses. A used rule whose name the account already has keeps its own text; where that differs,
    its name is among those given back. Raises Refused."""
    rule = _by_link(token)
    own, kept = parts_of(owner), []
    for name, text in used_parts(rule.owner, rule.text, rule.name).items():
        breadth = name_of(name)
        if name not in own and breadth is not None:
            breadths.create(owner, breadth, text, {})
        elif name not in own:
            create(owner, text, name)
        elif own[name] != text:
            kept.append(breadth or name)
    return create(owner, rule.text, rule.name), kept
