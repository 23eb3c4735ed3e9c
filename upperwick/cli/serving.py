"""The commands that prepare and serve the application: demo, serve, worker."""

import os
import threading
from argparse import Namespace
from typing import Any

from upperwick.cli.shared import Bad, with_database, without_data


def demo(given: Namespace) -> None:
    """Migrates, makes the demo account, and loads the demo market where no market is stored."""
    with_database()
    from upperwick.accounts.services import ensure_demo_account
    from upperwick.base.kernels import missing, warm, warm_behind
    from upperwick.market.models import BarBlock, DataVersion
    from upperwick.rules.services import plain_starters

    todo = missing()
    if todo:
        print("Compiling the measures, once …", flush=True)
        warm_behind([part for part in todo if part != "starters"])
    if given.fresh or not BarBlock.objects.exists():
        from upperwick.data.importing.undo import forget_imports
        from upperwick.market.demo import save_demo
        from upperwick.market.staging import AnotherImport
        from wickcore.demo.market import make_market

        print("Making the demo market …", flush=True)
        try:
            print(f"{save_demo(make_market()):,} invented bars stored.", flush=True)
            forget_imports()
        except AnotherImport as error:
            raise Bad(str(error)) from None
    invented = DataVersion.objects.order_by("-id").values_list("invented", flat=True).first()
    if invented and not BarBlock.objects.filter(frame="5min").exists():
        from upperwick.market.demo import complete_demo
        from upperwick.market.staging import AnotherImport
        from wickcore.demo.market import make_market

        print("Giving the demo market bars within the day …", flush=True)
        try:
            print(f"{complete_demo(make_market()):,} invented bars stored.", flush=True)
        except AnotherImport as error:
            raise Bad(str(error)) from None
    if invented:
        ensure_demo_account()  # never where somebody's own prices lie
    warm("starters", plain_starters())
    if given.serve:
        _serve(given.port, given.processes)


def start(given: Namespace) -> None:
    """Begins an installation for somebody's own prices: the first account, then the application, empty, at the place Data."""
    with_database()
    from django.contrib.auth import get_user_model

    from upperwick.accounts.services import Unfit, add_account
    from upperwick.base.kernels import missing, warm, warm_behind
    from upperwick.rules.services import plain_starters

    accounts = get_user_model().objects
    if not accounts.exists():
        name, password = _asked_account()
        try:
            add_account(name, password, staff=True)
        except Unfit as error:
            raise Bad(str(error)) from None
        print(f"The account {name} is made.")
    todo = missing()
    if todo:
        print("Compiling the measures, once …", flush=True)
        warm_behind([part for part in todo if part != "starters"])
        warm("starters", plain_starters())
    _serve(given.port, given.processes)


def _asked_account() -> tuple[str, str]:
    """A name and a password for the first account, from the terminal; from two lines where there is none."""
    import getpass
    import sys

    if not sys.stdin.isatty():
        name, password = (sys.stdin.readline().strip() for _ in range(2))
        if not name or not password:
            raise Bad("The first account is needed: a name on one line of standard input, and a password on the next.")
        return name, password
    print("This is a new installation, with no prices yet. Its first account may bring data in and add others.")
    try:
        name = input("A name for it: ").strip()
        password = getpass.getpass("A password, twelve signs or more: ")
        if getpass.getpass("The same again: ") != password:
            raise Bad("The two passwords differ; nothing was made. Start again.")
    except EOFError:
        raise Bad("No account was made.") from None
    return name, password


def serve(given: Namespace) -> None:
    """Serves on 127.0.0.1 until stopped."""
    from upperwick.base.kernels import missing, prepare, warm_behind

    prepare()
    warm_behind(missing())
    _serve(given.port, given.processes)


MOST_PROCESSES = 16


def _serve(port: int, count: int) -> None:
    import socket

    if not 1 <= count <= MOST_PROCESSES:
        raise Bad(f"--processes is a number from 1 to {MOST_PROCESSES}; about as many as the machine has processors are of use.")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except (OSError, OverflowError):
            raise Bad(f"Port {port} is not free; choose another, for instance `make demo PORT=8010`.") from None
    with_database()
    import uvicorn
    from django.contrib.auth import get_user_model

    from upperwick.accounts.services import DEMO_NAME, DEMO_PASSWORD
    from upperwick.settings import TRUSTED_PROXIES
    from upperwick.worker import supervised

    if count == 1:
        import upperwick.asgi  # noqa: F401
        from upperwick.market.load import evaluator
        from upperwick.prefetch import fetch_ahead

        evaluator()
    print(f"\n  Upper Wick is at http://127.0.0.1:{port}")
    accounts = get_user_model().objects
    if accounts.filter(username=DEMO_NAME).exists():
        print(f"  The demo account: {DEMO_NAME}, with the password {DEMO_PASSWORD}")
    elif not accounts.exists():
        print("  There is no account yet; make one in another terminal: upperwick account add NAME")
    print("  Ctrl+C stops it.\n", flush=True)
    # The streams of what moved never end by themselves.
    said: dict[str, Any] = {
        "host": "127.0.0.1",
        "port": port,
        "log_level": "warning",
        "lifespan": "off",
        "timeout_graceful_shutdown": 1,
        # What a proxy says of who asks is believed of those that are named in the settings only.
        "proxy_headers": bool(TRUSTED_PROXIES),
        "forwarded_allow_ips": TRUSTED_PROXIES,
        "timeout_keep_alive": 65,  # longer than a browser keeps a connection it does not use: none is cut off while it asks
    }
    if count > 1:
        _serve_in(count, said)
        return
    # What is done beside begins once pages are answered: on few processors it would only hold up the first of them.
    started = threading.Event()

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            started.set()

    with supervised(started):
        fetch_ahead(started)
        Server(uvicorn.Config("upperwick.asgi:application", **said)).run()


def _serve_in(count: int, said: dict[str, Any]) -> None:
    """In several processes, which this one keeps: it starts another where one ends."""
    import socket

    import uvicorn
    from uvicorn.supervisors import Multiprocess

    from upperwick.base.processes import NAME, as_child
    from upperwick.worker import supervised

    with supervised():
        os.environ |= {**as_child(), NAME: str(count)}
        config = uvicorn.Config("upperwick.asgi:application", workers=count, **said)
        listening = config.bind_socket()
        # asyncio does not know what is bound here for TCP, and would let the end of each answer wait for the browser's word that it has the
        # beginning: 40 ms. Connections have it from the socket that they come in by.
        listening.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        Multiprocess(config, sockets=[listening]).run()


def worker(given: Namespace) -> None:
    """Carries out studies until stopped; `serve` starts it by itself."""
    with_database()
    from upperwick.worker import AlreadyRunning, work

    try:
        work()
    except AlreadyRunning as error:
        raise Bad(str(error)) from None


def warm(given: Namespace) -> None:
    """Compiles parts of the kernels."""
    without_data()
    from upperwick.base.kernels import PARTS
    from upperwick.base.kernels import warm as run
    from upperwick.rules.services import plain_starters

    unknown = [part for part in given.parts if part not in PARTS]
    if unknown:
        raise Bad(f"There is nothing named {unknown[0]} to compile; there are: {', '.join(PARTS)}.")
    for part in given.parts or PARTS:
        run(part, plain_starters())
