"""Invented names: companies, symbols, sectors, indices, funds. Nothing here exists."""

import numpy as np

SECTORS: dict[str, tuple[str, ...]] = {
    "Fittings": ("Ropeworks", "Glass", "Chandlery", "Brass", "Joinery", "Fixtures"),
    "Power": ("Tidal", "Windfarms", "Grid", "Heat", "Current", "Lampworks"),
    "Stores": ("Stores", "& Daughters", "Bazaar", "Provisioners", "Emporium", "Market Halls"),
    "Instruments": ("Optics", "Gauges", "Sextants", "Precision", "Signal", "Soundings"),
    "Provisions": ("Kelp", "Orchards", "Smokehouse", "Grain", "Dairies", "Saltworks"),
    "Metals": ("Assay", "Foundry", "Copperworks", "Ores", "Tinsmiths", "Castings"),
    "Carriage": ("Pilots", "Ferries", "Haulage", "Tramways", "Lighterage", "Post"),
    "Lending": ("Mutual", "Thrift", "Savings", "Surety", "Trustees", "Counting House"),
    "Medicine": ("Remedies", "Apothecary", "Clinics", "Tinctures", "Diagnostics", "Wards"),
    "Building": ("Masonry", "Timber", "Lime & Stone", "Roofing", "Brickfields", "Survey"),
    "Leisure": ("Playhouse", "Lodges", "Regatta", "Gardens", "Bathhouse", "Picture House"),
    "Reckoning": ("Abacus", "Ledgers", "Logic", "Looms", "Telegraph", "Automata"),
}
_HEADS = (
    "Tal Isp Gra Over Kel Brin Sound Quay Ves Hol Mar Tide Alder Bram Cawd Dun Ebb Fen Gorse Hask Inver Jor Kest Lund Mel Nor "
    "Orm Pell Quill Rav Sel Thorn Uld Var Wend Yar Zeph Ambl Birk Carr Dray Elm Farn Glen Heath Ister Keld Lorn Moss Nether Oak "
    "Pen Rook Skar Tarn Umber Vell Wick Yew Aske Bexl Crael Dovv Eskel Frith Gannel Harr Ivel Jasp Kirr Lath Merr Nist Ott Pris "
    "Quern Rusk Stav Trev Ulver Vint Wyth Arl Blean Corv Dell Ewe Fosk Greb Hurn Ilm Jent Knoll Lusk Mith Naze Oss Plov Reth "
    "Sorr Tull Urch Voss Wharn Yell Anst Brock Culv Dorn Esper Flax Gild Hebb Issel Jur Kyle Limp Murr Nape Ondr Pask Rill Sedg "
    "Tweld Unst Verr Whinn Yarr Abber Bost Chald Drumm Ettr Fulm Gosk Hythe Ingl Jarl Kemb Lyth Mord"
).split()
_TAILS = (
    "lock ern unt light marrow dale rake ayne trill lin ram weft ston bury mere fold holm thwaite garth combe shaw ley wold "
    "burn dell nook rigg side tack vane well worth yard brook cliffe den fell ham keld march pool ridge spar ock anby eth "
    "isk ora uss ander ove imple ottle umbra ave"
).split()
INDICES = (
    ("HARBOUR", "Harbour 500", "The five hundred largest shares of the island exchange"),
    ("BEACON", "Beacon 100", "The hundred largest"),
    ("SHOALS", "Shoal 250", "The smaller half of the five hundred"),
    ("TIDEMK", "Tidemark 50", "The fifty highest dividend yields of the five hundred"),
)
FUNDS = (
    ("HARBFD", "Harbour Whole-Market Fund"), ("BEACFD", "Beacon Large Fund"), ("SHOAFD", "Shoal Small Fund"),
    ("TIDEFD", "Tidemark Income Fund"), ("FITTFD", "Fittings Fund"), ("POWRFD", "Power Fund"), ("STORFD", "Stores Fund"),
    ("METLFD", "Metals Fund"), ("CARRFD", "Carriage Fund"), ("LENDFD", "Lending Fund"), ("MEDIFD", "Medicine Fund"),
    ("RECKFD", "Reckoning Fund"),
)  # fmt: skip
FUND_OF = (
    "HARBOUR", "BEACON", "SHOALS", "TIDEMK", "Fittings", "Power", "Stores", "Metals", "Carriage", "Lending", "Medicine", "Reckoning",
)  # fmt: skip
REASONS = ("taken over", "insolvent", "merged", "taken private", "struck off for late reports")


def companies(count: int, rng: np.random.Generator) -> list[tuple[str, str, str]]:
    """`count` companies as (symbol, name, sector): symbols of six letters, all different."""
    stems = [(h, t) for h in _HEADS for t in _TAILS if h[-1].lower() != t[0] and 6 <= len(h + t) <= 10]
    order = rng.permutation(len(stems))
    sectors = list(SECTORS)
    taken = {symbol for symbol, *_ in (*INDICES, *FUNDS)}
    found: list[tuple[str, str, str]] = []
    for place in order:
        head, tail = stems[place]
        stem = head + tail
        symbol = (head[: max(3, 6 - len(tail))] + tail)[:6].upper()
        if symbol in taken:
            continue
        taken.add(symbol)
        sector = sectors[int(rng.integers(len(sectors)))]
        kind = SECTORS[sector][int(rng.integers(len(SECTORS[sector])))]
        found.append((symbol, f"{stem} {kind}", sector))
        if len(found) == count:
            return found
    raise ValueError(f"There are only {len(found)} names for {count} companies.")
