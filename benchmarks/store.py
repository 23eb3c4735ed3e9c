"""Puts the large market into the database of UPPERWICK_DATA, with the demo account to look at it."""

import os

from benchmarks.big import make_bars


def store(instruments: int, length: int) -> None:
    """One Arrow block an instrument and year, as an import would store them."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
    import django

    django.setup()
    from django.core.management import call_command

    from upperwick.accounts.services import ensure_demo_account
    from upperwick.market.models import DataVersion
    from upperwick.market.store import save_tables
    from wickcore.bars.bars import FIELDS

    call_command("migrate", verbosity=0)
    bars = make_bars(instruments, length)
    tables = {}
    for k, symbol in enumerate(bars.symbols):
        part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
        tables[symbol] = {"days": bars.days[part], **{n: getattr(bars, n)[part] for n in FIELDS}}
    save_tables({"day": tables}, None, f"{instruments:,} random walks of {length:,} bars")
    DataVersion.objects.update(invented=True)
    ensure_demo_account()
