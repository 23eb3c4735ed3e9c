"""The large market in a database, with the demo account to look at it."""

import argparse
import os
import tempfile
from pathlib import Path

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


def open_large(parser: argparse.ArgumentParser) -> argparse.Namespace:
    """Reads the command line, and begins Django on the folder that was named, with the market made where it holds none."""
    parser.add_argument("--instruments", type=int, default=5_000)
    parser.add_argument("--length", type=int, default=5_000)
    parser.add_argument("--data", help="a folder that holds such a market already, or is to hold it")
    chosen = parser.parse_args()
    folder = chosen.data or tempfile.mkdtemp()
    os.environ["UPPERWICK_DATA"] = folder
    os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
    from upperwick.base.kernels import prepare
    from upperwick.base.processes import steady_memory

    prepare()
    steady_memory()  # as the server begins
    if not (Path(folder) / "upperwick.sqlite3").exists():
        store(chosen.instruments, chosen.length)
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    return chosen
