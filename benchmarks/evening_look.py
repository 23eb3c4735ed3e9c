"""What the worker does when the moment moves, on the large market: 200 watched rules, 200 alerts; and finding anything in it.

python benchmarks/evening_look.py [--instruments 5000] [--length 5000] [--data FOLDER]
"""

import argparse
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from benchmarks.store import open_large

RULES, ALERTS = 200, 200


def timed(words: str, work: object) -> None:
    begun = time.perf_counter()
    work()  # type: ignore[operator]
    print(f"{words:68s} {time.perf_counter() - begun:8.2f} s", flush=True)


def main() -> None:
    open_large(argparse.ArgumentParser())
    measure()


def _anywhere(text: str) -> list[str]:
    """A rule's lines without its universe and its name: random walks belong to none."""
    return [line for line in text.split("\n") if not line.startswith(("universe:", "name:"))]


def measure() -> None:
    from django.contrib.auth import get_user_model
    from django.db import transaction

    from upperwick.alerts import look
    from upperwick.alerts.models import Alert, Watched
    from upperwick.desk import search
    from upperwick.desk.desk import desk
    from upperwick.market.load import evaluator
    from upperwick.rules.models import Rule
    from upperwick.rules.services import plain_starters
    from wickcore.bars.moment import Moment

    owner = get_user_model().objects.first()
    engine = evaluator()
    sessions = engine.market.bars.sessions
    now, before = Moment(int(sessions[-1])), Moment(int(sessions[-2]))
    with transaction.atomic():
        Rule.objects.filter(owner=owner, name__startswith="Bench ").delete()
        Alert.objects.filter(owner=owner).delete()
        Watched.objects.all().delete()
        rules, starters = (
            [],
            [text for text in plain_starters().values() if "bars: 5" not in text and "min" not in text.split("\n")[0]],
        )
        for i in range(RULES):
            text = "\n".join([*_anywhere(starters[i % len(starters)]), f"close > {1 + i // len(starters)}"])
            rules.append(Rule.objects.create(owner=owner, name=f"Bench {i:03d}", text=text))
    print(f"{len(engine.bars.symbols):,} instruments, {len(engine.bars):,} bars", flush=True)

    def armed(kind: str, of: object) -> None:
        Alert.objects.filter(owner=owner).delete()
        Alert.objects.bulk_create(of(i) for i in range(ALERTS))  # type: ignore[operator]

    symbols = engine.bars.symbols

    def price(i: int) -> Alert:
        return Alert(
            owner=owner, kind="price", symbol=symbols[i * 7 % len(symbols)], about={"level": 1e6, "way": "up"}, seen=before.key
        )

    def one_rule(i: int) -> Alert:
        return Alert(
            owner=owner,
            kind="rule",
            symbol=symbols[i * 7 % len(symbols)],
            about={"rule": rules[0].id, "scope": ""},
            seen=before.key,
        )

    def of_all(i: int) -> Alert:
        return Alert(owner=owner, kind="rule", about={"rule": rules[i].id, "scope": ""}, seen=before.key)

    def own_rule(i: int) -> Alert:
        return Alert(
            owner=owner,
            kind="rule",
            symbol=symbols[i * 7 % len(symbols)],
            about={"rule": rules[i].id, "scope": ""},
            seen=before.key,
        )

    writing: list[float] = []
    keep = look._keep

    def kept(*what: object) -> int:
        begun = time.perf_counter()
        told = keep(*what)
        writing.append(time.perf_counter() - begun)
        return int(told)

    look._keep = kept
    look.look()  # what is loaded once
    for words, kind in (
        ("prices", price),
        ("one rule, of one instrument each", one_rule),
        ("200 rules, of one instrument each", own_rule),
        ("200 rules, each of all instruments", of_all),
    ):
        armed(words, kind)
        writing.clear()
        timed(f"a new evening: 200 alerts, {words}", look.look)
    print(f"{f'… of it writing the {len(writing)} messages of the last':68s} {sum(writing):8.2f} s")
    Alert.objects.filter(owner=owner).delete()
    Watched.objects.bulk_create(Watched(rule=rule, since=str(now)) for rule in rules)
    timed("a new evening: 200 watched rules", look.look)
    bad = Watched.objects.exclude(trouble="").count()
    print(f"{bad} of them cannot be scanned; {sum(len(w.fresh) for w in Watched.objects.all()):,} fresh hits")
    timed("the desk", lambda: desk(owner))
    for words in ("m00123", "bench 01", "average", "tell me when M00077 trades at 56"):
        search.find(owner, words)
        timed(f"find “{words}”", lambda words=words: search.find(owner, words))  # type: ignore[misc]


if __name__ == "__main__":
    main()
