"""The command `upperwick`: scan, study, values, explain, check, import, export, and what `make demo` needs.

Errors go to standard error as sentences with line and column; bad rules and bad input exit with 2.
"""

import argparse
import gc
import importlib
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from upperwick.base.kernels import PARTS, spare_numba
from upperwick.base.processes import end_with_parent, step_back
from upperwick.cli.reference_options import BESIDE
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.tables import TABLES
from wickcore.bars.frame_names import FRAMES

QUICK = ("scan", "values", "explain", "breadth")  # commands that read, say something and are over


def entry() -> None:
    """What the shell calls. A quick command is not held up by what it does not need: collecting garbage while modules are read, and taking a
    thousand of them apart at the end."""
    end_with_parent()
    quick = sys.argv[1:2] and sys.argv[1] in QUICK
    if quick:
        gc.disable()
        spare_numba()
    if sys.argv[1:2] == ["import"]:
        step_back()
    code = main()
    if quick:
        try:
            sys.stdout.flush()
            sys.stderr.flush()
        except BrokenPipeError:
            pass
        os._exit(code)
    sys.exit(code)


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command; the exit code."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")
    words = _several_prices(list(sys.argv[1:] if arguments is None else arguments))
    given = build_parser(words[0] if words else "").parse_args(words)
    module, function = given.run
    from upperwick.cli.shared import Bad

    try:
        return getattr(importlib.import_module(f"upperwick.cli.{module}"), function)(given) or 0
    except Bad as error:
        for line in error.lines:
            print(line, file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 130


def _several_prices(words: list[str]) -> list[str]:
    """`--prices a.csv b.csv` as `--prices a.csv --prices b.csv`: what follows and is a price file or a folder belongs to it, a rule does
    not."""
    found: list[str] = []
    inside = False
    for i, word in enumerate(words):
        if inside and (Path(word).suffix.lower() in PRICE_FILES or Path(word).is_dir()) and words[i - 1] != "--prices":
            found.append("--prices")
        elif words[i - 1 : i] != ["--prices"]:
            inside = word == "--prices"
        found.append(word)
    return found


def build_parser(asked: str = "") -> argparse.ArgumentParser:
    """The command line's own description. asked: the command that is meant; the settings of a study are read for those that measure only."""
    parser = argparse.ArgumentParser(prog="upperwick", description="Write a rule, see what it leaves, measure what followed.")
    add = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(name: str, run: str, help: str) -> argparse.ArgumentParser:
        """run: the module of this package and its function, such as `data.export_prices`."""
        sub = add.add_parser(name, help=help, description=help)
        sub.set_defaults(run=run.split("."))
        return sub

    scan = command("scan", "looking.scan", "What a rule leaves on one evening.")
    _rule(scan)
    _prices(scan)
    _as_of(scan)
    scan.add_argument("--universe", metavar="NAME", help="instead of the rule's own, for its ranks too: only members of that day")

    study = command("study", "measuring.study", "What prices did after a rule's hits.")
    _rule(study)
    _prices(study)
    _measuring(study, asked)
    study.add_argument("--events", action="store_true", help="list every hit with its entry and returns")
    study.add_argument(
        "--parts", type=int, metavar="BARS", help="taken apart at this horizon: groups, path, names, stops, line worth"
    )
    study.add_argument("--report", type=Path, metavar="FILE", help="write a single HTML page with figures and plots")

    compare = command("compare", "measuring.compare", "Two rules side by side, on the same days.")
    compare.add_argument("first_rule", metavar="FIRST", help="a rule file")
    compare.add_argument("second_rule", metavar="SECOND", help="a rule file, or - for standard input")
    _prices(compare)
    _measuring(compare, asked)
    compare.add_argument("--horizon", type=int, default=5, help="bars ahead at which the hits that differ are counted")

    sweep = command("sweep", "measuring.sweep", "One dial or two over their ranges: plateaus, not peaks.")
    _rule(sweep)
    _prices(sweep)
    _measuring(sweep, asked)
    sweep.add_argument("--dial", action="append", required=True, metavar="NAME=LOW:HIGH:STEP", help="given once or twice")
    sweep.add_argument("--horizon", type=int, default=5, help="bars ahead")

    book = command("book", "books.book", "A rule, or several, traded as a portfolio.")
    book.add_argument("book", help="a book file, or - for standard input; its rules are found beside it")
    book.add_argument("--rules", type=Path, metavar="FOLDER", help="where the rules are found instead, in its folders too")
    _prices(book)
    _as_of(book)
    book.add_argument("--from", dest="first", metavar="DATE", help="first day that is traded")
    book.add_argument("--to", dest="last", metavar="DATE", help="last day that is traded")
    book.add_argument("--seed", type=int, default=1, help="of the draw among signals, and of the bootstrap")
    book.add_argument("--universe", metavar="NAME", help="instead of the book's own (needs the database)")
    book.add_argument("--sealed", action="store_true", help="end where the last quarter of history begins")
    for name in ("trades", "equity"):
        book.add_argument(
            f"--{name}", type=Path, metavar="FILE", help=f"write the {name} as CSV, Parquet or JSON, by the file's ending"
        )
    book.add_argument(
        "--luck", type=int, nargs="?", const=500, metavar="N", help="run it with N random picks among its signals (500)"
    )
    book.add_argument(
        "--what-if", action="store_true", help="later entries, dearer trades, today's members, without its best trades"
    )
    book.add_argument("--dial", action="append", metavar="NAME=LOW:HIGH:STEP", help="a sweep of one dial or two; `slots` is one")
    book.add_argument("--walk", action="store_true", help="with --dial: the dials one would have chosen walking forward")

    breadth = command("breadth", "looking.breadth", "How many members pass a rule, session by session.")
    breadth.add_argument("rule", help="a rule or breadth file, or - for standard input")
    _prices(breadth)
    _as_of(breadth)
    breadth.add_argument("--universe", metavar="NAME", help="whose members are counted, instead of the file's own")
    breadth.add_argument("--by", choices=["day", "week"], default="day", help="a value a session, or the last of each week")
    breadth.add_argument("--smooth", type=int, default=1, metavar="N", help="also the mean of the last N values")
    breadth.add_argument("--csv", type=Path, metavar="FILE", help="write it as CSV")

    values = command("values", "looking.values", "One expression on every bar of one instrument.")
    values.add_argument("expression")
    _prices(values)
    values.add_argument("--symbol", required=True)
    values.add_argument("--bars", choices=FRAMES, help="whose bars it counts; days, where there are any")
    values.add_argument("--universe", metavar="NAME", help="whose members ranks and breadths are among")
    _as_of(values)

    explain = command("explain", "looking.explain", "Why an instrument is a hit on a day, or is not.")
    _rule(explain)
    _prices(explain)
    explain.add_argument("--symbol", required=True)
    explain.add_argument("--day", "--as-of", required=True, metavar="DATE", help="an evening, or a moment such as 2024-06-28T10:35")
    explain.add_argument("--universe", metavar="NAME", help="instead of the rule's own")

    check = command("check", "language.check", "Errors and advice of a rule.")
    _rule(check)
    _json(check)

    lay = command("format", "language.lay_out", "A rule in its canonical layout, on standard output.")
    _rule(lay)
    turn = command("mirror", "language.turn", "The rule for the other side, on standard output.")
    _rule(turn)
    aloud = command("read", "language.read", "A rule in plain sentences.")
    _rule(aloud)
    phrase = command("phrase", "language.phrase", "A phrase of the trade as a line of the rule language.")
    phrase.add_argument("phrase", nargs="+")
    _json(phrase)

    bring = command("import", "data.import_files", "Files of any open table into the database, merged with what is there.")
    bring.add_argument(
        "files",
        type=Path,
        nargs="+",
        help="CSV, Parquet or Arrow files, folders or zips of them, or a data package; the later one counts",
    )
    _json(bring)
    bring.add_argument("--count", action="store_true", help="say what it would do, and do nothing")
    bring.add_argument("--universe", metavar="NAME", help="make the symbols with bars members of this universe")
    bring.add_argument("--skip-bad", action="store_true", help="leave bad rows out instead of refusing the import")
    bring.add_argument("--any-date", action="store_true", help="take dates before there were markets, or after next week, too")
    _answers(bring)
    bring.add_argument("--table", choices=tuple(TABLES), help="what the files hold, where their columns do not tell")
    bring.add_argument(
        "--fact", metavar="NAME", help="with --table own: the name of the number that a file with a column a symbol holds"
    )
    bring.add_argument("--checked", choices=["yes"], help="take prices that do not go on from those stored")
    bring.add_argument("--forget", action="store_true", help="do not remember how these files were read")
    _json(command("imports", "data.imports", "The latest imports, and which of them can be undone."))
    back = command("undo", "data.undo_import", "Take an import back, whatever was imported since.")
    back.add_argument("number", type=int, nargs="?", help="which, as `imports` numbers them; the latest where left out")
    _json(back)

    vendors = command("vendors", "vendors.vendors", "How the files of each sender are read, as it was answered once.")
    vendors.add_argument("act", nargs="?", choices=["list", "show", "set", "rename", "delete", "export", "import"], default="list")
    vendors.add_argument("name", nargs="?", help="the vendor's name; with import, the file")
    vendors.add_argument(
        "changes",
        nargs="*",
        metavar="ANSWER=VALUE",
        help="with set: dates, decimal, adjusted, pattern, …; with rename: the new name",
    )
    _json(vendors)

    take = command("export", "data.export", "The stored bars as CSV or Parquet, or everything as a data package.")
    take.add_argument("file", type=Path, help="a .csv or .parquet file; with --all a new folder, or a .zip")
    take.add_argument("--symbols", help="only these, separated by commas")
    take.add_argument("--bars", choices=["day", "5min"], default="day", help="which of the stored bars")
    take.add_argument("--all", action="store_true", help="everything that is known of the market")
    take.add_argument("--text", action="store_true", help="with --all: bars as CSV too")

    feed = command("feed", "data.feed", "Lay the demo market's next evenings into the drop folder, or another one.")
    feed.add_argument("--sessions", type=int, default=1, metavar="N", help="how many evenings, 1 where left out")
    feed.add_argument("--days-only", action="store_true", help="without bars within the day")
    feed.add_argument("--to", type=Path, metavar="FOLDER", help="another folder than the drop folder")

    demo = command("demo", "serving.demo", "Prepare the database, and the demo market where there is none.")
    demo.add_argument("--fresh", action="store_true", help="make the demo market anew even where one is stored")
    demo.add_argument("--serve", action="store_true", help="then serve it, in the same process")
    _served(demo)
    start = command(
        "start",
        "serving.start",
        "Begin with your own prices and no demo: asks for the first account, then serves.",
    )
    _served(start)
    serve = command("serve", "serving.serve", "Serve the application on this machine.")
    _served(serve)
    account = command("account", "accounts.account", "Accounts: add one, change its password, list all, remove one.")
    account.add_argument("act", choices=["add", "password", "list", "remove"])
    account.add_argument("name", nargs="?")
    account.add_argument("--staff", action="store_true", help="with add: it may use the administration at /admin/")
    account.add_argument("--yes", action="store_true", help="with remove: without asking")
    warm = command("warm", "serving.warm", "Compile kernels ahead; `demo` does it by itself.")
    warm.add_argument("parts", nargs="*", metavar="PART", help=f"{', '.join(PARTS)}; all where none is named")
    command("worker", "serving.worker", "Carry out studies in the background; `serve` starts one by itself.")
    return parser


def _as_of(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--as-of", metavar="DATE",
        help="the evening to stand on, or a moment inside a session such as 2024-06-28T10:35; the latest where it is left out",
    )  # fmt: skip


def _measuring(parser: argparse.ArgumentParser, asked: str) -> None:
    if parser.prog.split()[-1] == asked:
        from upperwick.cli.study_options import add_settings

        _as_of(parser)
        add_settings(parser)
        parser.add_argument(
            "--universe", metavar="NAME", help="instead of the rule's own, for its ranks too: only members of that day"
        )
        parser.add_argument("--sealed", action="store_true", help="end where the last quarter of history begins")


def _served(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--port", type=int, default=int(os.environ.get("PORT", "8000")), help="8000 where it is left out")
    parser.add_argument(
        "--processes", type=int, default=1, metavar="N",
        help="serve in so many processes, which share the market on disk; 1 where it is left out, as many as processors for many people",
    )  # fmt: skip


def _rule(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("rule", help="a rule file, or - for standard input")


def _prices(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--prices",
        type=Path,
        action="append",
        metavar="FILE",
        help="CSV or Parquet files or folders of them, daily and five-minute; the database where left out",
    )
    parser.add_argument("--skip-bad", action="store_true", help="leave bad rows out")
    _answers(parser)
    beside = parser.add_argument_group(
        "beside --prices", "what a database would know; CSV or Parquet, with the columns that docs/command-line.md names"
    )
    beside.add_argument("--benchmark", metavar="SYMBOL", help="which of the symbols is the market as a whole")
    for name, said in BESIDE.items():
        beside.add_argument(f"--{name}", type=Path, metavar="FILE", help=said)
    _json(parser)


def _answers(parser: argparse.ArgumentParser) -> None:
    """What a person would be asked about files."""
    from upperwick.data.reading.answers import ADJUSTMENTS

    group = parser.add_argument_group("how files are read", "where they do not tell")
    group.add_argument("--dates", metavar="FORM", help="how dates are written: `day first`, `month first`, …")
    group.add_argument("--decimal", choices=["point", "comma"], help="how decimals are written")
    group.add_argument("--zone", metavar="ZONE", help="the exchange's time zone, for moments with an offset: Europe/Helsinki")
    group.add_argument(
        "--columns",
        metavar="NAMES",
        help="what the columns are, in their order: `symbol,date,open,high,low,close,-`; or `Heading=name,…`",
    )
    group.add_argument("--suffix", choices=["keep", "remove"], help="the ending that all symbols share")
    group.add_argument("--names", choices=["yes", "no"], help="whether the files' names are the symbols")
    group.add_argument("--adjusted", choices=[a for a in ADJUSTMENTS if a], help="prices that are adjusted already")


def _json(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true", help="one JSON object and nothing else on standard output")
