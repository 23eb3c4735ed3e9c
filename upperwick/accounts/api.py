"""Routes for signing in and out, and for the accounts themselves."""

from collections.abc import Callable
from typing import Any

from django.contrib.auth import login, logout, update_session_auth_hash
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.utils import check_csrf
from pydantic import Field

from upperwick.accounts import services
from upperwick.accounts.sign_in_limits import known, remember_device
from upperwick.accounts.signals import welcomed
from upperwick.base.errors import Refused

router = Router(tags=["session"])
people = Router(tags=["people"])


class SignIn(Schema):
    name: str = Field(max_length=150)
    password: str = Field(max_length=128)


class Session(Schema):
    """staff: whether this account may add and remove others."""

    name: str | None
    staff: bool = False


class NewPassword(Schema):
    now: str = Field(max_length=128)
    then: str = Field(max_length=128)


class PersonIn(Schema):
    name: str = Field(max_length=150)
    password: str = Field(max_length=128)
    staff: bool = False


class GivenPassword(Schema):
    password: str = Field(max_length=128)


class PersonOut(Schema):
    name: str
    staff: bool
    rules: int
    seen: str | None


def _session(user: Any) -> dict[str, Any]:
    return {"name": user.get_username(), "staff": user.is_staff} if user.is_authenticated else {"name": None}


@router.get("", response=Session, auth=None, operation_id="session")
def session(request: HttpRequest):
    """Who is signed in; sets the CSRF cookie."""
    get_token(request)
    return _session(request.user)


@router.post("", response=Session, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, response: HttpResponse, body: SignIn):
    """Signs in. After ten wrong passwords for a name, or from an address, either waits five minutes; a device that has signed in with the
    name before waits a little longer after each instead."""
    if check_csrf(request) is not None:
        raise Refused("This page is out of date (its CSRF token is missing or old); load it again, and sign in.", 403)
    user = known(request, body.name, body.password)
    if user is None:
        raise Refused("The name or the password is wrong.", 401)
    login(request, user)
    remember_device(request, response, user.get_username())
    welcomed.send(None, user=user)
    return _session(user)


@router.delete("", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest):
    """Signs out."""
    logout(request)
    return {"name": None}


@router.delete("/everywhere", response=Session, operation_id="sign_out_everywhere")
def sign_out_everywhere(request: HttpRequest):
    """Ends every session of the account, this one too."""
    services.end_sessions(request.user)
    logout(request)
    return {"name": None}


@router.put("/password", response=Session, operation_id="change_password")
def change_password(request: HttpRequest, body: NewPassword):
    """Changes one's own password; other browsers are signed out."""
    if known(request, request.user.get_username(), body.now) is None:
        raise Refused("The password as it is now is not right.", 403)
    _fit(lambda: services.set_password(request.user.get_username(), body.then))
    request.user.refresh_from_db()
    update_session_auth_hash(request, request.user)
    return _session(request.user)


@people.get("", response=list[PersonOut], operation_id="people")
def everybody(request: HttpRequest):
    """All accounts of this installation; for staff."""
    _staff(request)
    return services.everybody()


@people.post("", response=list[PersonOut], operation_id="add_person")
def add(request: HttpRequest, body: PersonIn):
    """Another account, with the starter rules; for staff."""
    _staff(request)
    _fit(lambda: services.add_account(body.name, body.password, body.staff))
    return services.everybody()


@people.put("/{name}/password", response=list[PersonOut], operation_id="give_password")
def give_password(request: HttpRequest, name: str, body: GivenPassword):
    """Another password for an account whose own is forgotten; its browsers are signed out. For staff."""
    _staff(request)
    _fit(lambda: services.set_password(name, body.password))
    return services.everybody()


@people.delete("/{name}", response=list[PersonOut], operation_id="remove_person")
def remove(request: HttpRequest, name: str):
    """Removes an account with all its rules, lists and studies, for good; for staff, and never one's own."""
    _staff(request)
    if name == request.user.get_username():
        raise Refused("This is the account you are signed in with; another member of staff can remove it.", 409)
    _fit(lambda: services.account_named(name).delete())
    return services.everybody()


def _staff(request: HttpRequest) -> None:
    if not request.user.is_staff:
        raise Refused("Only staff may see and change the accounts.", 403)


def _fit(act: Callable[[], Any]) -> None:
    try:
        act()
    except services.Unfit as error:
        raise Refused(str(error), 422) from None
