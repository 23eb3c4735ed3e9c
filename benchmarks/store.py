"""Puts the large market into the database of UPPERWICK_DATA, with the demo account to look at it."""

import os

from benchmarks.big import make_bars


def store(instruments: int, length: int) -> None:
    """One Arrow block an instrument and year, as an import would store them."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import transaction

    from upperwick.accounts.services import ensure_demo_account
    from upperwick.market.models import BarBlock, DataVersion, Instrument
    from upperwick.market.store import blocks
    from wickcore.bars.bars import FIELDS

    call_command("migrate", verbosity=0)
    bars = make_bars(instruments, length)
    with transaction.atomic():
        Instrument.objects.bulk_create(Instrument(symbol=s, name=s) for s in bars.symbols)
        for k, instrument in enumerate(Instrument.objects.order_by("symbol")):
            part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
            table = {"days": bars.days[part], **{n: getattr(bars, n)[part] for n in FIELDS}}
            BarBlock.objects.bulk_create(blocks(instrument, table))
        DataVersion.objects.create(what=f"{instruments:,} random walks of {length:,} bars", invented=True)
    ensure_demo_account()
