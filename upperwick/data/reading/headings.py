"""What a column means by its heading: the words that senders of several languages use, and how a heading is compared with them."""

import re
import unicodedata
from functools import lru_cache

from upperwick.data.reading.tables import BARS, Column, Table

# Common practice: headings as senders write them in English, German, French, Spanish, Portuguese, Italian, Dutch, Polish and
# the Nordic languages,
# compared in small letters without accents.
BAR_SYNONYMS: dict[str, str] = {
    "symbol": """symbol ticker code instrument stock share security paper contract ric mnemonic mnemo isin wkn sedol cusip asset company_code
        stock_code kurzel kuerzel symbole valeur titre valor simbolo titolo codice codigo accion aktie wertpapier papier fonds
        effect kod tunnus osake
        instrumento papel ativo walor spolka aksje""",
    "date": """date day trade_date trading_date trading_day session session_date as_of asof as_of_date quote_date business_date
    value_date datetime
        date_time timestamp time_stamp ts dt bar_start bar_date bar_time_stamp period start begin_time datum tag handelstag
        borsentag boersentag jour
        seance fecha dia sesion data giorno seduta pregao dag handelsdag pvm paiva paivamaara sesja dato date_utc utc epoch unix unixtime""",
    "time": "time begin begins bar_time hour minute zeit uhrzeit heure hora ora tijd kello klokkeslett tid",
    "open": """open o opening first px_open eroffnung eroeffnung eroffnungskurs anfang ouverture apertura abertura openen opening_price avaus
        oppning otwarcie apning ouv erster apert""",
    "high": """high h max maximum highest px_high hoch hochst hochstkurs hoechst tageshoch haut plus_haut maximo maxima alto massimo hoogste hoog
        ylin hogst hogsta maks najwyzszy hoy hoyest""",
    "low": """low l min minimum lowest px_low tief tiefst tiefstkurs tagestief bas plus_bas minimo minima bajo basso laagste
    laag alin lagst lagsta
        najnizszy lav lavest""",
    "close": """close c last final settle settlement closing closing_price px_last px_close schluss schlusskurs schlussk
    cloture dernier cierre ultimo
        chiusura fechamento slot slotkoers paatos slut senaste zamkniecie sluttkurs slutkurs letzter""",
    "volume": """volume v vol qty quantity shares shares_traded traded_shares volume_shares tottrdqty stuck stueck stucke volumen umsatz
        gehandelte_stuck quantite quantidade cantidad volumi quantita aantal volym antal wolumen vaihto_kpl volum px_volume""",
    "adj_close": """adj_close adjusted_close close_adj adjclose adj_closing close_adjusted adjusted adj bereinigt
    schluss_bereinigt cloture_ajustee
        cierre_ajustado fechamento_ajustado""",
    "ratio": "ratio",
}
# Headings that may mean shares or money.
AMBIGUOUS_VOLUME = {
    "turnover",
    "amount",
    "value",
    "traded_value",
    "omsattning",
    "omsetning",
    "volume_value",
    "montant",
    "volume_money",
}
# Words that say nothing of a column's meaning.
FILLERS = {
    "price", "px", "preis", "kurs", "prix", "cours", "precio", "preco", "prezzo", "koers", "cena", "the", "of", "in", "usd", "eur", "gbp", "chf",
    "sek", "nok", "dkk", "pln", "local", "daily", "day_s", "raw", "unadjusted", "unadj",
}  # fmt: skip
_LETTERS = str.maketrans({"ß": "ss", "ø": "o", "æ": "ae", "ł": "l", "đ": "d", "œ": "oe"})
_BAR_MEANING = {word: name for name, words in BAR_SYNONYMS.items() for word in words.split()}


@lru_cache(4_096)
def plain_heading(text: str) -> str:
    """A heading as it is compared: small letters without accents, one `_` for all between words."""
    folded = unicodedata.normalize("NFKD", text.strip().strip("\ufeff").lower().translate(_LETTERS))
    return re.sub(r"[^a-z0-9]+", "_", "".join(c for c in folded if not unicodedata.combining(c))).strip("_")


def meaning(heading: str, table: Table) -> tuple[str, int]:
    """The column that a heading means in a table, and how surely: 3 its own name, 2 another name for it, 1 by part of its words; "" and 0 for
    none."""
    whole = plain_heading(heading)
    for column in table.columns:
        if whole == column.name:
            return column.name, 3
    for text in (whole, plain_heading(re.sub(r"[(\[{].*?[)\]}]", " ", heading)), *_shorter(whole)):
        for column in table.columns:
            if text and text in _synonyms(column, table):
                return column.name, 2 if text == whole else 1
    return "", 0


def _synonyms(column: Column, table: Table) -> set[str]:
    words = {column.name, *column.also}
    if table is BARS:
        words |= {word for word, name in _BAR_MEANING.items() if name == column.name}
    return words


def _shorter(whole: str) -> list[str]:
    """The heading without its fillers, and the camel-case or prefixed forms of it."""
    words = [w for w in whole.split("_") if w and w not in FILLERS]
    return ["_".join(words)] if words and "_".join(words) != whole else []


def is_ambiguous_volume(heading: str) -> bool:
    """Whether a heading may mean shares traded or money."""
    bare = plain_heading(re.sub(r"[(\[{].*?[)\]}]", " ", heading))
    return bare in AMBIGUOUS_VOLUME or any(part in AMBIGUOUS_VOLUME for part in _shorter(bare))
