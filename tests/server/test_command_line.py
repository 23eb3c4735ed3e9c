"""The command line as a person runs it: one JSON object on standard output, sentences on standard error, exit codes."""

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from tests import made
from tests.commands import COMMAND, answer, run


@pytest.fixture(scope="module")
def prices(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Five made names as one CSV; no splits, so that the file says all there is."""
    path = tmp_path_factory.mktemp("prices") / "made.csv"
    rows = ["Symbol,Date,Open,High,Low,Close,Volume"]
    for symbol, t in made.tables(31, 5, 260, splits=False).items():
        for i, day in enumerate(t["days"]):
            cells = [f"{t[n][i]:.2f}" for n in ("open", "high", "low", "close")]
            rows.append(f"{symbol},{np.datetime64(int(day), 'D')},{','.join(cells)},{t['volume'][i]:.0f}")
    path.write_text("\n".join(rows) + "\n")
    return path


def test_scan(prices: Path) -> None:
    found = answer(
        "scan", "-", "--prices", str(prices), text="close > 5\nclose > sma(20)\nany of:\n    close > 10\n    rsi(14) > 40\n"
    )
    assert set(found) >= {"as_of", "scanned", "no_bar", "lines", "hits", "near_misses"}
    assert [(line["number"], line["text"]) for line in found["lines"]][:2] == [(1, "close > 5"), (2, "close > sma(20)")]
    for line in found["lines"]:
        assert line["true"] + line["false"] + line["unknown"] == found["scanned"]
    assert found["lines"][2]["left"] == len(found["hits"])
    assert all(h["values"]["close"] > 5 for h in found["hits"])


def test_a_scan_of_an_earlier_day(prices: Path) -> None:
    assert answer("scan", "-", "--prices", str(prices), "--as-of", "2020-06-07", text="close > 1")["as_of"] == "2020-06-05"


def test_study(prices: Path) -> None:
    arguments = ("study", "-", "--prices", str(prices), "--horizons", "1,5", "--events", "--repeats", "every", "--cost", "0")
    found = answer(*arguments, text="close > sma(20)")
    assert [h["bars"] for h in found["horizons"]] == [1, 5]
    names = (
        "count pending delisted instruments days win_rate win_rate_low win_rate_high wilson_low wilson_high "
        "mean median stdev average_win average_loss payoff "
        "profit_factor baseline excess"
    )
    assert set(names.split()) <= set(found["horizons"][0])
    known = [e["returns"]["1"] for e in found["events"] if e["returns"]["1"] is not None]
    assert len(known) == found["horizons"][0]["count"]
    assert sum(known) / len(known) == pytest.approx(found["horizons"][0]["mean"])
    few = answer(*arguments, "--from", "2020-06-01", "--to", "2020-06-30", text="close > sma(20)")
    assert {e["day"][:7] for e in few["events"]} == {"2020-06"}


def test_a_universe_chosen_by_the_option_is_the_one_that_the_rule_means(prices: Path, tmp_path: Path) -> None:
    """Ranks too are among it: the answer is that of the rule that names it, and not that of a rule that names none."""
    members = tmp_path / "members.csv"
    members.write_text("universe,symbol,first\n" + "".join(f"Two,S0{k},2019-01-01\n" for k in (1, 3)))
    beside = ("--prices", str(prices), "--members", str(members))
    rule, named = "# any\ndial n = 20 from 10 to 30 step 10\nrank(change(n)) > 60", "universe: Two\n"
    for command, *more in (("scan",), ("study", "--horizons", "5", "--events"), ("sweep", "--dial", "n=10:30:10")):
        by_option = answer(command, "-", *beside, *more, "--universe", "Two", text=rule)
        assert by_option == answer(command, "-", *beside, *more, text=rule.replace("# any\n", named))
        assert by_option != answer(command, "-", *beside, *more, text=rule)
    other = tmp_path / "other.rule"
    other.write_text("# any\nclose > sma(10)")
    by_option = answer("compare", str(other), "-", *beside, "--universe", "Two", text=rule)
    headed = tmp_path / "headed.rule"
    headed.write_text(f"{named}close > sma(10)")
    assert by_option == answer("compare", str(headed), "-", *beside, text=rule.replace("# any\n", named))
    ranks = answer("values", "rank(close)", *beside, "--symbol", "S01", "--universe", "Two")["values"]
    assert set(ranks) - {None} == {0.0, 100.0}  # of two
    assert run("values", "rank(close)", *beside, "--symbol", "S01", "--universe", "Three").returncode == 2


def test_values_and_explain(prices: Path) -> None:
    found = answer("values", "sma(3)", "--prices", str(prices), "--symbol", "S01")
    closes = answer("values", "close", "--prices", str(prices), "--symbol", "S01")["values"]
    assert found["values"][:2] == [None, None]
    assert found["values"][2] == pytest.approx(sum(closes[:3]) / 3)
    assert answer("values", "close > 0", "--prices", str(prices), "--symbol", "S01")["values"][0] is True
    explained = answer(
        "explain", "-", "--prices", str(prices), "--symbol", "S01", "--day", found["days"][5], text="close > 1\nclose > sma(3)"
    )
    line = explained["lines"][1]
    assert (line["number"], line["text"]) == (2, "close > sma(3)")
    assert line["margin"] == pytest.approx(closes[5] - sum(closes[3:6]) / 3)
    assert line["truth"] is (line["margin"] > 0)


def test_a_bad_rule_exits_with_two_and_says_where(prices: Path) -> None:
    done = run("scan", "-", "--prices", str(prices), "--json", text="close > 5\nclose > smaa(5)")
    assert (done.returncode, done.stdout) == (2, "")
    assert "line 2, column 9" in done.stderr
    assert "did you mean `sma`" in done.stderr


def test_check_lists_errors_and_advice() -> None:
    done = run("check", "-", "--json", text="close > highest(high, 20)")
    assert done.returncode == 0
    found = json.loads(done.stdout)
    assert found["errors"] == []
    assert found["advice"][0]["mend"] == "highest(high, 20) 1 ago"
    bad = run("check", "-", "--json", text="clos > 1\nvolum > 1")
    assert bad.returncode == 2
    assert [(e["line"], e["column"], e["length"], e["mend"]) for e in json.loads(bad.stdout)["errors"]] == [
        (1, 1, 4, "close"),
        (2, 1, 5, "volume"),
    ]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["scan", "/nowhere.rule"], "cannot be read"),
        (["values", "close", "--symbol", "S99"], "no symbol S99"),
        (["values", "clos", "--symbol", "S01"], "did you mean"),
        (["scan", "-", "--as-of", "soon"], "not a date"),
        (["scan", "-", "--as-of", "1999-01-01"], "begin on"),
        (["study", "-", "--horizons", "a"], "whole numbers"),
        (["study", "-", "--cost", "7"], "fractions"),
    ],
)
def test_bad_input_is_a_sentence_and_exit_code_two(prices: Path, arguments: list[str], words: str) -> None:
    done = run(*arguments, "--prices", str(prices), text="close > 1")
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_import_is_all_or_nothing_and_export_gives_it_back(prices: Path, tmp_path: Path) -> None:
    data, bad = tmp_path / "data", tmp_path / "bad.csv"
    bad.write_text(prices.read_text() + "S01,2030-01-02,1,2,3,1,5\n")
    refused = run("import", str(bad), data=data)
    assert refused.returncode == 2
    assert f"line {len(bad.read_text().splitlines())}" in refused.stderr
    assert "nothing was taken" in refused.stderr
    assert run("scan", "-", text="close > 1", data=data).returncode == 2  # the database holds nothing
    taken = run("import", str(bad), "--skip-bad", "--universe", "Mine", data=data)
    assert taken.returncode == 0, taken.stderr
    assert "1 bad row" in taken.stdout
    found = answer("scan", "-", "--universe", "Mine", text="close > 1", data=data)
    direct = answer("scan", "-", "--prices", str(prices), text="close > 1")
    assert found["hits"] == direct["hits"]
    out = tmp_path / "out.parquet"
    assert run("export", str(out), data=data).returncode == 0
    again = answer("scan", "-", "--prices", str(out), text="close > 1\nrsi(14) > 50")
    assert again["hits"] == answer("scan", "-", "--prices", str(prices), text="close > 1\nrsi(14) > 50")["hits"]


def test_an_import_killed_midway_leaves_the_database_as_it_was(prices: Path, tmp_path: Path) -> None:
    data = tmp_path / "data"
    assert run("import", str(prices), data=data).returncode == 0
    before = answer("scan", "-", text="close > 1", data=data)
    env = {**os.environ, "UPPERWICK_DATA": str(data), "DJANGO_SETTINGS_MODULE": "upperwick.settings"}
    # Killed as hard as a process can be, after some of its rows are written.
    program = (
        "import os, django; django.setup()\n"
        "from pathlib import Path\n"
        "from upperwick.market import merging, store\nfrom upperwick.data.reading.bars import read_prices\n"
        "real, seen = merging.blocks, []\n"
        "def blocks(*a):\n    seen.append(1)\n    os.kill(os.getpid(), 9) if len(seen) == 4 else None\n    return real(*a)\n"
        "merging.blocks = blocks\n"
        f"tables = read_prices(Path({str(prices)!r})).tables\n"
        "for t in tables['day'].values(): t['close'] = t['close'] * 3\n"
        "store.save_tables(tables, None, 'never')\n"
    )
    killed = subprocess.run([sys.executable, "-c", program], env=env, capture_output=True, text=True, timeout=120)
    assert killed.returncode == -9
    assert answer("scan", "-", text="close > 1", data=data) == before


def test_around_the_language(tmp_path: Path) -> None:
    rule = tmp_path / "a.rule"
    rule.write_text("name: A\nclose>sma(50)\nchange > 5%\n")
    assert run("format", str(rule)).stdout == "name: A\n\nclose > sma(50)\nchange > 5%\n"
    assert run("mirror", str(rule)).stdout == "name: A\nside: short\n\nclose < sma(50)\nchange < -5%\n"
    assert "The close is above the 50-bar average." in run("read", str(rule)).stdout
    assert answer("phrase", "RSI over 80 on the weekly") == {"lines": ["on(week, rsi(14) > 80)"], "unknown": []}
    strange = run("phrase", "price above its glorious average")
    assert (strange.returncode, strange.stdout) == (2, "")
    assert "glorious" in strange.stderr


DIAL = "dial fast = 20 from 5 to 40 step 5\nclose > sma(close, fast)\n"


def test_a_study_taken_apart_and_as_a_page(prices: Path, tmp_path: Path) -> None:
    page = tmp_path / "report.html"
    arguments = ("study", "-", "--prices", str(prices), "--horizons", "1,5", "--parts", "5", "--report", str(page))
    found = answer(*arguments, text="name: <b>Mine</b>\nclose > sma(20)\nvolume > 1")
    assert "events" not in found
    parts = found["parts"]
    assert sum(g["count"] for g in parts["breakdowns"]["year"]) == found["horizons"][1]["count"]
    assert [w["text"] for w in parts["worth"]] == ["close > sma(20)", "volume > 1"]
    text = page.read_text()
    assert found["verdicts"]["5"] in text
    assert text.count("<svg") == 4
    assert "<script" not in text
    assert "&lt;b&gt;Mine&lt;/b&gt;" in text
    assert 'src="http' not in text
    again = tmp_path / "again.html"
    answer(*arguments[:-1], str(again), text="name: <b>Mine</b>\nclose > sma(20)\nvolume > 1")
    assert again.read_text() == text


def test_two_rules_compared(prices: Path, tmp_path: Path) -> None:
    first = tmp_path / "first.rule"
    first.write_text("close > sma(20)\n")
    arguments = ("compare", str(first), "-", "--prices", str(prices), "--horizons", "5", "--repeats", "every")
    found = answer(*arguments, text="close > sma(20)\nrsi(5) > 60\n")
    assert found["only_second"] == 0
    assert found["only_first"] > 0
    assert found["differences"][0]["excess"] == pytest.approx(found["second"][0]["excess"] - found["first"][0]["excess"])
    assert "hits in both" in run(*arguments, text="close > 5\n").stdout


def test_a_dial_turned(prices: Path) -> None:
    arguments = ("sweep", "-", "--prices", str(prices), "--dial", "fast=10:30:10")
    found = answer(*arguments, text=DIAL)
    assert [c["values"] for c in found["cells"]] == [[10], [20], [30]]
    assert found["verdict"].startswith("3 settings tried at 5 bars.")
    assert "settings tried" in run(*arguments, text=DIAL).stdout
    assert len(answer("sweep", "-", "--prices", str(prices), "--dial", "fast", text=DIAL)["cells"]) == 8
    for wrong, words in (("slow=1:2:1", "no dial named slow"), ("fast=1:2", "takes fast=low:high:step"), ("fast=2:1:1", "range")):
        done = run("sweep", "-", "--prices", str(prices), "--dial", wrong, text=DIAL)
        assert (done.returncode, words in done.stderr) == (2, True), done.stderr


def test_a_book(prices: Path, tmp_path: Path) -> None:
    (tmp_path / "up.rule").write_text("name: Up\nclose > sma(20)\n")
    book = tmp_path / "ten.book"
    book.write_text(
        'slots: 3\nrank: change(5)\ncost: 0.1%\ndial far = 3 from 2 to 4 step 1\nenter "Up"\nstop: entry * 95%\nfollow: best - far * atr(5)\n'
    )
    trades, equity = tmp_path / "trades.csv", tmp_path / "equity.parquet"
    asked = ["--luck", "20", "--what-if", "--dial", "far", "--trades", str(trades), "--equity", str(equity)]
    found = answer("book", str(book), "--prices", str(prices), *asked)
    assert set(found) >= {
        "start",
        "end",
        "figures",
        "benchmark",
        "signals",
        "equity",
        "trades",
        "open",
        "orders",
        "luck",
        "what_if",
        "sweep",
    }
    assert set(found["figures"]) >= {
        "annual",
        "total",
        "worst_fall",
        "exposure",
        "sharpe",
        "trades",
        "win_rate",
        "payoff",
        "profit_factor",
        "expectancy_r",
    }
    assert set(found["signals"]) >= {"traded", "no_slot", "no_cash", "filtered", "held", "unfilled", "no_bar"}
    assert set(found["equity"][0]) >= {"day", "equity", "cash", "positions"}
    assert set(found["trades"][0]) >= {
        "symbol", "rule", "side", "signal_day", "entry_day", "entry", "shares", "exit_day", "exit", "reason",
        "result", "gain", "gain_r", "bars_held",
    }  # fmt: skip
    assert found["benchmark"] is None
    assert sum(x["result"] for x in found["trades"]) + 100_000 == pytest.approx(found["equity"][-1]["equity"], abs=0.01)
    assert trades.read_text().count("\n") == len(found["trades"]) + 1
    assert equity.stat().st_size > 1000
    beside = answer("book", str(book), "--prices", str(prices), "--benchmark", found["trades"][0]["symbol"])
    assert beside["benchmark"]["symbol"] == found["trades"][0]["symbol"]
    said = run("book", str(book), "--prices", str(prices), "--to", found["equity"][60]["day"])
    assert said.returncode == 0
    assert "signals:" in said.stdout


def test_a_bad_book_says_where(prices: Path, tmp_path: Path) -> None:
    book = tmp_path / "bad.book"
    book.write_text('enter "Nobody"\nstop: 8%\n')
    failed = run("book", str(book), "--prices", str(prices))
    assert failed.returncode == 2
    assert "line 1, column 7: There is no rule named “Nobody”" in failed.stderr
    assert "line 2, column 7: `stop` is a price" in failed.stderr
    checked = run("check", str(book))
    assert (checked.returncode, "line 2, column 7" in checked.stderr) == (2, True)
    laid = run("format", "-", text='enter "Up"\nslots:3\n')
    assert laid.stdout == 'enter "Up" at next open\nslots: 3\n'
    assert "entered at the next open" in run("read", "-", text='enter "Up"\n').stdout
    assert "entry + 1" in run("mirror", "-", text='enter "Up"\nstop: entry - 1\n').stdout


def test_the_command_itself(prices: Path, tmp_path: Path) -> None:
    """As the shell calls it: a quick command goes without what Numba looks for and no kernel uses, and ends at once, all said."""
    rule = tmp_path / "mine.rule"
    rule.write_text("close > sma(5)\nrsi(9) > 1\nlog(close) > 0\n")
    whole = answer("scan", str(rule), "--prices", str(prices))
    for more in ((), ("--json",)):
        done = subprocess.run(
            [*COMMAND, "scan", str(rule), "--prices", str(prices), *more], capture_output=True, text=True, timeout=240
        )
        assert (done.returncode, done.stderr) == (0, "")
        assert json.loads(done.stdout) == whole if more else done.stdout.strip().endswith(whole["hits"][-1]["symbol"])
    wrong = subprocess.run(
        [*COMMAND, "scan", "-", "--prices", str(prices)], input="close >", capture_output=True, text=True, timeout=240
    )
    assert (wrong.returncode, "line 1" in wrong.stderr) == (2, True)
