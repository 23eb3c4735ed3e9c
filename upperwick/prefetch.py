"""What the first scan, study and list of rules would otherwise wait for, fetched beside the serving of pages."""

import threading


def fetch_ahead(started: threading.Event) -> None:
    """Begins once pages are answered."""
    threading.Thread(target=_fetch, args=(started,), daemon=True, name="ahead").start()


def _fetch(started: threading.Event) -> None:
    started.wait()
    from upperwick.market.load import evaluator

    evaluator()
    import arch.bootstrap  # noqa: F401
    from django.db import connection

    from upperwick.rules.services import parts_of
    from upperwick.rules.summary import read_all_again

    read_all_again(parts_of)
    connection.close()
