"""Routes for signing in and out."""

from django.contrib.auth import authenticate, login, logout
from django.core.cache import cache
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema

from upperwick.accounts.signals import welcomed
from upperwick.refused import Refused

router = Router(tags=["session"])
TRIES, WAIT = 10, 300


class SignIn(Schema):
    name: str
    password: str


class Session(Schema):
    name: str | None


@router.get("", response=Session, auth=None, operation_id="session")
def session(request: HttpRequest):
    """Who is signed in; sets the CSRF cookie."""
    get_token(request)
    return {"name": request.user.username if request.user.is_authenticated else None}


@router.post("", response=Session, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, body: SignIn):
    """Signs in. After ten wrong passwords for a name it waits five minutes."""
    key = f"tries:{body.name[:150]}"
    if cache.get(key, 0) >= TRIES:
        raise Refused("Too many wrong passwords for this name; wait five minutes and try again.", 429)
    user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        cache.set(key, cache.get(key, 0) + 1, WAIT)
        raise Refused("The name or the password is wrong.", 401)
    cache.delete(key)
    login(request, user)
    welcomed.send(None, user=user)
    return {"name": user.get_username()}


@router.delete("", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest):
    """Signs out."""
    logout(request)
    return {"name": None}
