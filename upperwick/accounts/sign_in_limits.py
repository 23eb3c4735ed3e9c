"""Whether a password is a name's own, and how long whoever guesses has to wait.

Wrong passwords are counted in the database: for the name and for the address each, which a success clears for nobody, so that a right sign-in
between buys no further guesses. From a device that has signed in with the name before (it has a signed cookie that says so), only its own wrong
tries count, and make it wait a little longer each time: nobody can lock such a person out by guessing at their name, or from behind the same
address. This is the device cookie of OWASP, "Slow Down Online Guessing Attacks with Device Cookies".
"""

import ipaddress
import secrets
from datetime import timedelta
from threading import Lock
from typing import Any

from django.contrib.auth import authenticate
from django.contrib.auth.backends import ModelBackend
from django.core import signing
from django.core.exceptions import PermissionDenied
from django.db.models import F
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from upperwick.accounts.models import WrongTries
from upperwick.base.errors import Refused

LIMIT, WINDOW = 10, timedelta(minutes=5)  # wrong passwords for a name, or from an address, and how long it then waits
FREE, LONGEST_SECONDS = 2, 60  # of a device that is known: tries without a wait; then 1 s, 2 s, 4 s … at most so long
DEVICE_LIMIT = 50  # wrong tries in a row after which a device counts as any other
FORGOTTEN_AFTER = timedelta(days=1)
COOKIE, COOKIE_AGE, NAMES = "upperwick-device", 400 * 86_400, 8
CROWDED = "Many are signing in just now; try again in a moment."
# One password is hashed at a time, so that one try is counted before the next is looked at, and guessing leaves the rest of the machine alone.
_hashing, MOST_WAITING, PATIENCE = Lock(), 60, 10.0
_waiting: list[None] = []


class Wait(PermissionDenied):
    """A try that is not looked at, for so many seconds yet."""

    def __init__(self, seconds: float) -> None:
        super().__init__()
        self.seconds = max(1, round(seconds + 0.49))


class CountedBackend(ModelBackend):
    """Django's accounts, with wrong passwords counted; for the administration's own form too."""

    def authenticate(
        self, request: HttpRequest | None, username: str | None = None, password: str | None = None, **rest: Any
    ) -> Any:
        if request is None or username is None or password is None:
            return super().authenticate(request, username, password, **rest)
        keys = _keys(request, username)
        _ensure_no_wait(request, keys)
        user = super().authenticate(request, username, password, **rest)
        if user is not None:
            WrongTries.objects.filter(key__in=[k for k in keys if k.startswith("device ")]).delete()
            return user
        for key in keys:
            _count(key)
        _ensure_no_wait(request, keys)
        return None


def known(request: HttpRequest, name: str, password: str) -> Any:
    """The account of a name and its password; None where they do not fit. Raises Refused (429) for tries that have to wait."""
    if len(_waiting) >= MOST_WAITING:
        raise Refused(CROWDED, 429)
    _waiting.append(None)
    try:
        if not _hashing.acquire(timeout=PATIENCE):
            raise Refused(CROWDED, 429)
        try:
            user = authenticate(request, username=name, password=password)
        finally:
            _hashing.release()
    finally:
        _waiting.pop()
    seconds = getattr(request, "sign_in_wait", None)
    if user is None and seconds is not None:
        raise Refused(wait_sentence(seconds), 429, wait=seconds)
    return user


def wait_sentence(seconds: int) -> str:
    long = f"{seconds} second{'' if seconds == 1 else 's'}" if seconds < 90 else f"{-(-seconds // 60)} minutes"
    return f"Too many wrong passwords for this name, or from this address; wait {long} and try again."


def remember_device(request: HttpRequest, response: HttpResponse, name: str) -> None:
    """Tells the browser that this device has signed in with a name."""
    device, names = _device(request)
    names = [name, *(n for n in names if n != name)][:NAMES]
    value = signing.dumps({"device": device or secrets.token_urlsafe(12), "names": names}, salt=COOKIE)
    response.set_cookie(COOKIE, value, max_age=COOKIE_AGE, httponly=True, samesite="Lax", secure=request.is_secure())


def _device(request: HttpRequest) -> tuple[str, list[str]]:
    """A device's own number, and the names that it has signed in with."""
    try:
        cookie = signing.loads(request.COOKIES.get(COOKIE, ""), salt=COOKIE, max_age=COOKIE_AGE)
        return str(cookie["device"]), [str(n) for n in cookie["names"]]
    except (signing.BadSignature, KeyError, TypeError):
        return "", []


def _keys(request: HttpRequest, name: str) -> list[str]:
    """What wrong tries of this name from there are counted under."""
    device, names = _device(request)
    folded = name.strip().casefold()[:150]
    if device and name in names:
        key = f"device {device} {folded}"
        if not WrongTries.objects.filter(key=key, count__gte=DEVICE_LIMIT).exists():
            return [key]
    return [f"name {folded}", f"address {_network(str(request.META.get('REMOTE_ADDR', '')))}"]


def _network(address: str) -> str:
    """Of an IPv6 address the part that its owner does not choose (common practice: a /64 each)."""
    try:
        parsed = ipaddress.ip_address(address)
    except ValueError:
        return address[:60]
    return str(ipaddress.ip_network((parsed, 64), strict=False)) if parsed.version == 6 else str(parsed)


def _ensure_no_wait(request: HttpRequest, keys: list[str]) -> None:
    """Raises Wait, and notes on the request how long it is."""
    now = timezone.now()
    waits = [_wait(row, now) for row in WrongTries.objects.filter(key__in=keys)]
    if waits and max(waits) > 0:
        wait = Wait(max(waits))
        request.sign_in_wait = wait.seconds
        raise wait


def _wait(row: WrongTries, now: Any) -> float:
    if row.key.startswith("device "):
        seconds = min(2.0 ** min(row.count - FREE - 1, 10), LONGEST_SECONDS) if row.count > FREE else 0.0
    else:
        seconds = WINDOW.total_seconds() if row.count >= LIMIT else 0.0
    return seconds - float((now - row.last).total_seconds()) if seconds else 0.0


def _count(key: str) -> None:
    """Counts a wrong try; those before a pause as long as the wait count no longer, but of a device."""
    now = timezone.now()
    WrongTries.objects.filter(last__lt=now - FORGOTTEN_AFTER).delete()
    if not key.startswith("device "):
        WrongTries.objects.filter(key=key, last__lt=now - WINDOW).delete()
    WrongTries.objects.get_or_create(key=key, defaults={"count": 0, "last": now})
    WrongTries.objects.filter(key=key).update(count=F("count") + 1, last=now)
