"""What lies beside price files: with it a rule can be asked of files alone all that it can be asked of a database."""

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from upperwick.cli.main import build_parser, main
from upperwick.cli.reference_options import BESIDE
from upperwick.cli.shared import engine_of
from upperwick.data.reading.reference import KINDS, BesideError, read_beside
from upperwick.market.load import evaluator
from upperwick.market.models import Dividend, Instrument, Report, Split
from upperwick.rules.services import plain_starters
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan

COLUMNS = {
    "reports": ("day", "shares", "revenue", "earnings", "expected"),
    "splits": ("day", "ratio"),
    "dividends": ("day", "amount"),
}
DAYS = pd.bdate_range("2022-01-03", periods=300).strftime("%Y-%m-%d")


@pytest.fixture
def prices(tmp_path: Path) -> Path:
    """Six shares and an index, ZZI, which is their mean."""
    rng, rows = np.random.default_rng(4), []
    closes = {f"ZZ{c}": 50 * np.exp(np.cumsum(rng.normal(0, 0.02, len(DAYS)))) for c in "ABCDEF"}
    closes["ZZI"] = np.mean(list(closes.values()), axis=0)
    for symbol, close in closes.items():
        for day, c in zip(DAYS, np.round(close, 2), strict=True):
            rows.append((symbol, day, c, round(c * 1.01, 2), round(c * 0.99, 2), c, 1000))
    path = tmp_path / "prices.csv"
    pd.DataFrame(rows, columns=["symbol", "date", "open", "high", "low", "close", "volume"]).to_csv(path, index=False)
    return path


def write(folder: Path, name: str, text: str) -> Path:
    path = folder / name
    path.write_text(text)
    return path


def run(capsys: Any, *words: str | Path) -> tuple[int, Any, str]:
    capsys.readouterr()
    code = main([str(w) for w in words])
    said = capsys.readouterr()
    return code, json.loads(said.out) if said.out else None, said.err


def test_what_is_lacking_is_said_and_can_be_given(prices: Path, tmp_path: Path, capsys: Any) -> None:
    rule = write(
        tmp_path,
        "a.rule",
        'beta(60) > 0\nsector == "Metals"\ndays_since_report < 400\nrank(close, in=sector) >= 0\nevent("Rate")\n',
    )
    code, found, said = run(capsys, "scan", rule, "--prices", prices, "--json")
    assert (code, found["hits"]) == (0, [])
    assert [line for line in said.splitlines() if "Line" in line] == [
        "Line 1 is unknown: no benchmark is known; give them with --benchmark SYMBOL.",
        "Line 2 is unknown: no sectors are known; give them with --instruments FILE.",
        "Line 3 is unknown: no reports are known; give them with --reports FILE.",
        "Line 4 is unknown: no sectors are known; give them with --instruments FILE.",
        "Line 5 is unknown: there is no announcement “Rate”; give them with --announcements FILE.",
    ]
    assert all(line["unknown"] == 7 for line in found["lines"])
    instruments = (
        "symbol;kind;sector\n" + "".join(f"ZZ{c};share;{'Metals' if c < 'D' else 'Power'}\n" for c in "ABCDEF") + "ZZI;index;\n"
    )
    reports = "symbol,date,shares,revenue,earnings,expected\n" + "".join(
        f"ZZ{c},{day},1000,{100 + i},{10 + i},\n" for c in "ABCDEF" for i, day in enumerate(DAYS[10::60])
    )
    code, found, said = run(
        capsys, "scan", rule, "--prices", prices, "--json", "--benchmark", "ZZI",
        "--instruments", write(tmp_path, "i.csv", instruments), "--reports", write(tmp_path, "r.csv", reports),
        "--announcements", write(tmp_path, "e.csv", f"day,name\n{DAYS[-1]},Rate\n"),
    )  # fmt: skip
    assert (code, said) == (0, "")
    assert [h["symbol"] for h in found["hits"]] == ["ZZA", "ZZB", "ZZC"]


def test_reports_splits_and_listing_are_what_they_say(prices: Path, tmp_path: Path, capsys: Any) -> None:
    quarters = "".join(f"ZZA,{DAYS[i]},1000,100,{5 * k}\n" for k, i in enumerate((5, 65, 125, 185), 1))
    beside = {
        "--instruments": "symbol,listed,optionable\nZZA,2021-12-03,yes\nZZB,,no\n",
        "--reports": "symbol,day,shares,revenue,earnings\n" + quarters,
        "--dividends": f"symbol,day,amount\nZZA,{DAYS[20]},0.5\n",
        "--splits": f"symbol,day,ratio\nZZB,{DAYS[100]},2\n",
    }  # fmt: skip
    words = [w for flag, text in beside.items() for w in (flag, write(tmp_path, f"{flag[2:]}.csv", text))]

    def value(text: str, symbol: str) -> list[Any]:
        code, found, _ = run(capsys, "values", text, "--symbol", symbol, "--prices", prices, *words, "--json")
        assert code == 0
        return list(found["values"])

    assert value("listed_days", "ZZA")[0] == 31
    assert (value("optionable", "ZZA")[0], value("optionable", "ZZB")[0]) == (1, 0)
    assert value("listed_days", "ZZB")[0] is None
    assert value("days_since_report", "ZZA")[4:7] == [None, 0, 1]
    assert value("shares_outstanding", "ZZA")[-1] == 1000
    # Four quarters of 5, 10, 15 and 20 over a thousand shares.
    close = value("close", "ZZA")
    assert value("pe", "ZZA")[-1] == pytest.approx(close[-1] / 0.05)
    assert value("dividend_yield", "ZZA")[30] > 0
    # A split that was recorded and not traded is seen as the fall it makes of the factor.
    assert value("change", "ZZB")[100] > 0.8


@pytest.mark.parametrize(
    ("flag", "text", "said"),
    [
        ("--instruments", "name,sector\nA,B\n", "has no column symbol; instruments need symbol."),
        ("--instruments", "symbol,listed\nZZA,2020-13-01\n", "line 2: listed `2020-13-01` is not a date of the form 2024-06-28."),
        ("--instruments", "symbol,kind\nZZA,bond\n", "`bond` is no kind; kinds are share, fund and index."),
        ("--reports", "symbol,day,shares,revenue,earnings\nZZA,2022-01-03,0,1,2\n", "line 2: shares `0` is not above zero."),
        ("--splits", "symbol,day,ratio\nZZA,2022-01-03,two\n", "line 2: ratio `two` is not a number."),
        ("--benchmark", "ZZX", "There is no symbol ZZX"),
    ],
)
def test_what_is_wrong_beside_prices_is_a_sentence(
    flag: str, text: str, said: str, prices: Path, tmp_path: Path, capsys: Any
) -> None:
    value = text if flag == "--benchmark" else write(tmp_path, "beside.csv", text)
    code, _, errors = run(capsys, "values", "close", "--symbol", "ZZA", "--prices", prices, flag, value)
    assert (code, said in errors) == (2, True), errors


def test_a_file_that_is_not_there_is_a_sentence(tmp_path: Path) -> None:
    with pytest.raises(BesideError, match="cannot be read"):
        read_beside({"members": tmp_path / "none.csv"})


def test_members_make_a_universe(prices: Path, tmp_path: Path, capsys: Any) -> None:
    members = write(tmp_path, "m.csv", f"universe,symbol,first,last\nTwo,ZZA,2022-01-03,\nTwo,ZZB,2022-01-03,{DAYS[9]}\n")
    rule = write(tmp_path, "u.rule", "universe: Two\nclose > 0\n")
    words = ("scan", rule, "--prices", prices, "--members", members, "--json")
    assert [h["symbol"] for h in run(capsys, *words)[1]["hits"]] == ["ZZA"]
    assert [h["symbol"] for h in run(capsys, *words, "--as-of", DAYS[9])[1]["hits"]] == ["ZZA", "ZZB"]


def test_indices_and_funds_do_not_rank_among_shares(prices: Path, tmp_path: Path, capsys: Any) -> None:
    kinds = write(tmp_path, "k.csv", "symbol,kind\n" + "".join(f"ZZ{c},share\n" for c in "ABCDE") + "ZZF,fund\nZZI,index\n")
    ranks = {}
    for symbol in ("ZZA", "ZZB", "ZZC", "ZZD", "ZZE", "ZZF", "ZZI"):
        _, found, _ = run(capsys, "values", "rank(close)", "--symbol", symbol, "--prices", prices, "--instruments", kinds, "--json")
        ranks[symbol] = found["values"][-1]
    assert sorted(ranks[f"ZZ{c}"] for c in "ABCDE") == [0, 25, 50, 75, 100]
    assert (ranks["ZZF"], ranks["ZZI"]) == (None, None)  # alone of its kind


# What is asked of prices alone; what a market has in its calendar, and shares outstanding of every day, do not leave with them.
ELSEWHERE = re.compile(r"^use |event\(|\b(dividend_yield|market_cap|pe)\b", re.MULTILINE)
SAME = sorted(name for name, text in plain_starters().items() if not ELSEWHERE.search(text))


@pytest.fixture(scope="module")
def exported(tmp_path_factory: pytest.TempPathFactory, django_db_setup: None, django_db_blocker: Any) -> list[str | Path]:
    """The stored market as files: bars, and beside them all that lies there."""
    folder = tmp_path_factory.mktemp("exported")
    with django_db_blocker.unblock():
        assert main(["export", str(folder / "bars.parquet")]) == 0
        assert main(["export", str(folder / "within.parquet"), "--bars", "5min"]) == 0
        columns = ("symbol", "kind", "sector", "listed", "delisted", "optionable", "weekly_options")
        pd.DataFrame(Instrument.objects.values(*columns)).to_csv(folder / "instruments.csv", index=False)
        beside: list[str | Path] = ["--prices", folder / "bars.parquet", "--instruments", folder / "instruments.csv"]
        beside += ["--benchmark", evaluator().market.benchmark]
        for name, model in (("reports", Report), ("splits", Split), ("dividends", Dividend)):
            rows = [
                {**row, "symbol": row.pop("instrument__symbol")}
                for row in model.objects.values("instrument__symbol", *COLUMNS[name])
            ]
            pd.DataFrame(rows).to_csv(folder / f"{name}.csv", index=False)
            beside += [f"--{name}", folder / f"{name}.csv"]
    return beside


@pytest.fixture(scope="module")
def filed(exported: list[str | Path]) -> Evaluator:
    """The market of those files, opened as a command opens them."""
    at = exported.index("--prices") + 2
    both = [*exported[:at], "--prices", Path(exported[at - 1]).with_name("within.parquet"), *exported[at:]]
    return engine_of(build_parser().parse_args(["scan", "any.rule", *map(str, both)]))


@pytest.mark.django_db
@pytest.mark.parametrize("name", SAME)
def test_the_same_market_gives_the_same_hits_from_the_database_and_from_its_export(name: str, filed: Evaluator) -> None:
    """Its splits and dividends leave as adjusted closes and come back as the same factor."""
    text = "\n".join(line for line in plain_starters()[name].splitlines() if not line.startswith("universe:"))
    rule = check_rule(text, base=filed.market.finest)
    sessions = evaluator().market.bars.sessions
    for at in (sessions[-1], sessions[-400]):
        stored, read = (scan(engine, rule, int(at)) for engine in (evaluator(), filed))
        assert [line.left for line in read.lines] == [line.left for line in stored.lines]
        assert [hit.symbol for hit in read.hits] == [hit.symbol for hit in stored.hits]


def test_a_published_holiday_ends_its_week_a_day_earlier(tmp_path: Path, capsys: Any) -> None:
    """Prices up to a Thursday: the week is over with it where Friday is a holiday, as the weeks before are."""
    days = pd.bdate_range("2024-06-03", "2024-06-27").strftime("%Y-%m-%d")
    rows = "".join(f"ZZA,{day},{i},{i},{i},{i},100\n" for i, day in enumerate(days, 1))
    prices = write(tmp_path, "p.csv", "symbol,date,open,high,low,close,volume\n" + rows)
    rule = write(tmp_path, "w.rule", f"on(week, sma(2)) == {(15 + len(days)) / 2:g}\nlast_of(week)\n")
    closed = write(tmp_path, "c.csv", "day,name,kind\n2024-06-28,Founders' Day,Holiday\n2024-06-20,Rate,\n")
    for more, hits in (((), 0), (("--announcements", closed), 1)):
        code, found, _ = run(capsys, "scan", rule, "--prices", prices, *more, "--json")
        assert (code, len(found["hits"])) == (0, hits)
    wrong = write(tmp_path, "x.csv", "day,name,kind\n2024-06-28,Founders' Day,feast\n")
    code, _, said = run(capsys, "scan", rule, "--prices", prices, "--announcements", wrong, "--json")
    assert code
    assert "x.csv, line 2: kind `feast` is no kind; kinds are announcement and holiday" in said


def test_every_table_that_can_lie_beside_prices_has_its_option(tmp_path: Path, capsys: Any) -> None:
    assert set(BESIDE) == set(KINDS)
    prices = write(tmp_path, "p.csv", "symbol,date,open,high,low,close,volume\nZZA,2024-03-04,10,11,9,10,5\n")
    rule = write(tmp_path, "n.rule", "overnight.low_first\novernight.place > 40%\nown.tone > 0\n")
    code, found, said = run(capsys, "scan", rule, "--prices", prices, "--json")
    assert (code, found["hits"]) == (0, [])
    assert said.count("give them with --overnight FILE") == 2
    assert "give them with --own FILE" in said
    night = write(tmp_path, "o.csv", "symbol,day,open,high,low,close,low_first\nZZA,2024-03-04,10,11,9,10,true\n")
    tone = write(tmp_path, "t.csv", "symbol,day,name,value\nZZA,2024-03-01,tone,1\n")
    code, found, said = run(capsys, "scan", rule, "--prices", prices, "--json", "--overnight", night, "--own", tone)
    assert (code, said, [h["symbol"] for h in found["hits"]]) == (0, "", ["ZZA"])
