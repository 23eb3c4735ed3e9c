"""The command about accounts: add, password, list, remove."""

import getpass
import sys
from argparse import Namespace

from upperwick.cli.shared import Bad, with_database


def account(given: Namespace) -> None:
    """Adds, changes, lists or removes accounts."""
    with_database()
    from upperwick.accounts.services import Unfit

    try:
        {"add": _add, "password": _password, "list": _list, "remove": _remove}[given.act](given)
    except Unfit as error:
        raise Bad(str(error)) from None


def _add(given: Namespace) -> None:
    from upperwick.accounts.services import add_account

    add_account(_name(given), _asked_password(), given.staff)
    print(f"The account {given.name} is made" + (", and may use the administration at /admin/." if given.staff else "."))


def _password(given: Namespace) -> None:
    from upperwick.accounts.services import account_named, set_password

    account_named(_name(given))
    set_password(given.name, _asked_password())
    print(f"The password of {given.name} is changed.")


def _list(given: Namespace) -> None:
    from upperwick.accounts.services import everybody

    for one in everybody():
        staff = ", staff" if one["staff"] else ""
        print(f"{one['name']:<24} {one['rules']:>5} rules, last signed in {one['seen'] or 'never'}{staff}")


def _remove(given: Namespace) -> None:
    from upperwick.accounts.services import account_named

    user = account_named(_name(given))
    if not given.yes:
        if not sys.stdin.isatty():
            raise Bad(f"All rules, studies and lists of {given.name} would go with it; say --yes to remove it.")
        if input(f"All rules, studies and lists of {given.name} go with it. Write the name once more to remove it: ") != given.name:
            raise Bad("Nothing was removed.")
    user.delete()
    print(f"The account {given.name} is removed.")


def _name(given: Namespace) -> str:
    if not given.name:
        raise Bad(f"`upperwick account {given.act}` needs a name.")
    return str(given.name)


def _asked_password() -> str:
    """Typed unseen and twice by a person, or the first line of what is piped in."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    password = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != password:
        raise Bad("The two differ; nothing was changed.")
    return password
