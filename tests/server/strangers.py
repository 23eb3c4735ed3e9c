"""Files as strangers send them: the same bars written in many ways, and files that no reader should be given."""

import csv
import io
import zipfile
from datetime import date, datetime
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

SYMBOLS = {"ARDVUL": 46.17, "BREKOM": 66.43, "CALTIR": 1612.27}
DAYS = [
    date(2024, 6, 24),
    date(2024, 6, 25),
    date(2024, 6, 26),
    date(2024, 6, 27),
    date(2024, 6, 28),
    date(2024, 7, 1),
    date(2024, 7, 2),
]
BARS = [
    (
        symbol,
        day,
        round(close * 0.99, 2),
        round(close * 1.02, 2),
        round(close * 0.98, 2),
        round(close + i / 10, 2),
        1_234_567 + 1_000 * i,
    )
    for symbol, close in SYMBOLS.items()
    for i, day in enumerate(DAYS)
]


def text(head: str, row: Any, separator: str = ",", rows: Any = BARS) -> str:
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\r\n")
    if head:
        writer.writerow(head.split("|"))
    writer.writerows(row(*bar) for bar in rows)
    return out.getvalue()


def comma(value: float) -> str:
    return f"{value:.2f}".replace(".", ",")


def epoch(day: date) -> int:
    return int(datetime.fromisoformat(f"{day}T20:00:00+00:00").timestamp())


def thousands(value: int) -> str:
    return f"{value:,}"


def indexed() -> bytes:
    columns = {name: [bar[i] for bar in BARS] for i, name in ((2, "open"), (3, "high"), (4, "low"), (5, "close"), (6, "volume"))}
    symbols = pa.array([bar[0] for bar in BARS]).dictionary_encode()
    stamps = pa.array([datetime.fromisoformat(f"{bar[1]}T00:00:00") for bar in BARS], pa.timestamp("ms")).cast(
        pa.timestamp("ms", "UTC")
    )
    out = io.BytesIO()
    pq.write_table(pa.table({**columns, "ticker": symbols, "ts": stamps}), out)
    return out.getvalue()


def zipped() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for symbol in SYMBOLS:
            rows = [bar for bar in BARS if bar[0] == symbol]
            packed.writestr(
                f"daily/{symbol.lower()}.txt", text("Date|Open|High|Low|Close|Volume", lambda s, d, *rest: (d, *rest), rows=rows)
            )
    return out.getvalue()


# What each sender's file is, and the answers that it needs: key of the question, the answer, and the option of the command line.
FILES: dict[str, tuple[bytes, list[tuple[str, str, list[str]]]]] = {
    "month-first.csv": (
        text(
            "Ticker|Trade Date|Open|High|Low|Last|Adj Close|Vol",
            lambda s, d, *p: (s, f"{d:%m/%d/%Y}", *p[:4], p[3], thousands(p[4])),
        ).encode(),
        [],
    ),
    "decimal-comma.csv": (
        text(
            "Kürzel|Datum|Eröffnung|Hoch|Tief|Schluss|Umsatz",
            lambda s, d, *p: (s, f"{d:%d.%m.%Y}", *(comma(x) for x in p[:4]), thousands(p[4]).replace(",", ".")),
            ";",
        ).encode("cp1252"),
        [],
    ),
    "one-file-a-symbol.zip": (zipped(), [("names", "yes", ["--names", "yes"])]),
    "epoch.csv": (text("symbol|timestamp|open|high|low|close|volume", lambda s, d, *p: (s, epoch(d), *p)).encode(), []),
    "no-head.csv": (
        text("", lambda s, d, *p: (s, f"{d:%Y%m%d}", *p)).encode(),
        [("confirmed", "yes", ["--columns", "symbol,date,open,high,low,close,volume"])],
    ),
    "suffix-tabs.txt": (
        text("Symbol|Session|Open|High|Low|Close|Shares traded", lambda s, d, *p: (f"{s}.HB", f"{d:%d-%b-%y}", *p), "\t").encode(),
        [("suffix", "remove", ["--suffix", "remove"])],
    ),
    "spreadsheet.txt": (text("Symbol|Date|Open|High|Low|Close|Volume", lambda s, d, *p: (s, d, *p), "\t").encode("utf-16"), []),
    "notes-around.csv": (
        (
            "# End of day, all prices in crowns\r\n\r\n"
            + text("Symbol|Date|Open|High|Low|Close|Volume", lambda s, d, *p: (s, d, *p[:4], "N/A" if s == "BREKOM" else p[4]))
            + "\r\nTotal rows: 21\r\n"
        ).encode(),
        [],
    ),
    "day-first.csv": (
        text("Stock|AsOf|First|Max|Min|Final|Turnover (shares)", lambda s, d, *p: (s, f"{d:%d/%m/%Y}", *p)).encode(),
        [("columns:Turnover (shares)", "volume", ["--columns", "Turnover (shares)=volume"])],
    ),
    "old-mac.csv": (
        text("Symbol|Date|Open|High|Low|Close|Volume", lambda s, d, *p: (s, d, *p)).replace("\r\n", "\r").encode(),
        [],
    ),
    "francais.csv": (
        text(
            "Titre|Séance|Ouverture|Plus haut|Plus bas|Clôture|Volume",
            lambda s, d, *p: (s, f"{d:%d/%m/%Y}", *(comma(x) for x in p[:4]), p[4]),
            ";",
        ).encode(),
        [],
    ),
    "indexed.parquet": (indexed(), []),
}  # fmt: skip


def hostile(n: int) -> tuple[str, bytes]:
    """A file that no reader should be given, of one of many kinds."""
    good = "symbol,date,open,high,low,close,volume\nZZA,2024-01-02,10,11,9,10.5,1000\n"
    kinds: list[tuple[str, bytes]] = [
        ("damaged.zip", b"PK\x03\x04" + bytes(200)), ("cut.zip", zipped()[:200]), ("cr.csv", b"what\rever\r1\r"), ("empty.csv", b""),
        ("deep.zip", _package("[" * 100_000)), 
        ("package.zip", _package('{"resources": 3}')), 
        ("nul.csv", bytes(5_000)), ("blank.csv", b"\n\n\n"),
        ("random.parquet", bytes(range(256)) * 9), ("cut.parquet", indexed()[:300]), ("a.arrow", b"ARROW1" + bytes(90)), 
        ("quote.csv", b'"a,b\n1,2\n'),
        ("wide.csv", ",".join(f"c{i}" for i in range(9_000)).encode()), ("cut.csv", good[:-9].encode()), ("word.docx", b"?"), ("none", b"1"),
        ("x" * 236 + ".csv", b"nothing"), ("b.csv", "\ufeff".encode() * 5), ("z.csv", good.replace("10.5", "ten").encode()), 
        ("s.csv", b"=cmd()\n"),
        ("inf.csv", good.replace("1000", "1e999").encode()), ("date.csv", good.replace("2024-01-02", "9999999999999").encode()),
        ("nan.csv", good.replace("10,11", "nan,nan").encode()), ("neg.csv", good.replace("2024-01-02", "-5").encode()),
        ("utf16.csv", good.encode("utf-16")[:-1]), ("json.csv", b'{"a": [1,2,3]}'), ("html.csv", b"<html><body>503</body></html>"),
        ("bell.csv", good.replace("ZZA", "\x07\x1b[2J").encode()), ("tab.tsv", b"\t\t\t\n\t\t\t\n"), ("one.csv", b"symbol\n"),
    ]  # fmt: skip
    name, content = kinds[n % len(kinds)]
    return (name if len(name) > 200 else f"{n:03d}-{name}"), content


def _package(body: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("datapackage.json", body)
    return out.getvalue()
