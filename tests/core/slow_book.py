"""A book run the slow way: one dictionary a position, one day after another, straight from the text of the design."""

import math
from typing import Any

from tests.core.slow_values import split, value_of
from wickcore.bars.market import Market
from wickcore.language.book import CheckedBook
from wickcore.language.check import check_expression
from wickcore.language.operations import Op
from wickcore.scan.evaluate import Evaluator

UNKNOWN_FOR = 60


def side_of(price: float, p: dict[str, Any]) -> float:
    """How far a price on the continuous scale lies from a position's entry, in its direction."""
    return float(p["side"] * (price / p["entry"] - 1))


def by_distance(p: dict[str, Any]) -> list[tuple[int, list[Any]]]:
    """The targets, the nearest first."""
    return sorted(enumerate(p["targets"]), key=lambda one: p["side"] * one[1][0] if one[1][0] == one[1][0] else math.inf)


class SlowBook:
    """run() gives the trades (dictionaries), the equity by session, and what came of each signal."""

    def __init__(self, market: Market, book: CheckedBook, evaluator: Evaluator, draw: Any = None, delay: int = 0) -> None:
        self.market, self.book, self.evaluator, self.draw, self.delay = market, book, evaluator, draw, delay
        self.bars = b = market.bars
        self.rows = {s: {int(b.days[r]): r for r in range(b.offsets[k], b.offsets[k + 1])} for k, s in enumerate(b.symbols)}
        self.days = [int(d) for d in b.sessions]
        self.cash = book.start
        self.positions: list[dict[str, Any]] = []
        self.orders: list[dict[str, Any]] = []
        self.trades: list[dict[str, Any]] = []
        self.outcome: dict[tuple[str, str, int], str] = {}
        self.equity: list[float] = []
        self.interest = self.borrow = 0.0
        self.number = 0
        self._columns: dict[str, Any] = {}

    def column(self, row: int) -> Any:
        def get(op: Op) -> Any:
            if op.key not in self._columns:
                self._columns[op.key] = self.evaluator.column(op)
            return self._columns[op.key][row].item()

        return get

    # -- the accounts ---------------------------------------------------------------------------------------------------

    def slip(self, symbol: str, row: int, shares: float) -> float:
        if not self.book.impact:
            return self.book.slip
        swing = self.column(row)(check_expression("stdev(change, 20)").op)
        traded = self.column(row)(check_expression("sma(volume, 20)").op) * self.bars.factor[row]
        found = self.book.impact * swing * math.sqrt(shares / traded) if traded > 0 else 0.0
        return self.book.slip + (0.0 if math.isnan(found) else min(found, 0.5))

    def close(self, p: dict[str, Any], shares: float, raw: float, reason: str, day: int, lines: tuple[int, ...] = ()) -> None:
        fill, cost = raw, 0.0
        if reason not in ("delisted", "end"):
            fill = raw * (1 - p["side"] * self.slip(p["symbol"], max(p["row"] - 1, p["entry_row"]), shares))
            cost = max(shares * fill * self.book.cost, self.book.cost_least)
        share = shares / p["shares"]
        bill, received = p["bill"] * share, p["received"] * share
        bought = shares / p["mult"]
        # What was met up to the exit: all before its bar, of that bar the prices of `met`, and the exit's own.
        met = [*p["met"], raw * self.bars.factor[p["row"]], fill * self.bars.factor[p["row"]]]
        ways = [side_of(x, p) for x in (min(met), max(met))]
        result = p["side"] * (shares * fill - bought * p["paid"]) + received - bill - cost
        self.trades.append(
            {"number": p["number"], "symbol": p["symbol"], "rule": p["rule"], "side": p["side"], "entry_day": p["entry_day"], "entry": p["paid"],
             "shares": bought, "exit_day": day, "exit": fill, "reason": reason, "lines": lines, "result": result,
             "best": max(ways), "worst": min(ways), "signal_day": p["signal_day"]}
        )  # fmt: skip
        if reason != "end":
            self.cash += p["side"] * shares * fill - cost
            p["bill"] -= bill
            p["received"] -= received
            p["shares"] = 0.0 if share >= 1 else p["shares"] - shares

    def level(self, op: Op | None, row: int, known: dict[str, float]) -> float:
        return math.nan if op is None else float(value_of(op, known, self.column(row)))

    def enter(self, signal: dict[str, Any], row: int, day: int, raw: float, how: str) -> str:
        book, side, symbol = self.book, signal["side"], signal["symbol"]
        ways, factor = book.ways(side), float(self.bars.factor[row])
        equity = self.equity[-1] if self.equity else book.start
        known = dict.fromkeys(("entry", "risk", "bars_held", "gain", "gain_r", "best", "worst"), math.nan) | {
            "held_rule": signal["place"]
        }
        shares = 0.0
        for _ in range(2 if book.impact else 1):
            fill = raw * (1 + side * self.slip(symbol, signal["row"], shares))
            known["entry"] = fill * factor
            stop = self.level(ways.stop.op if ways.stop else None, signal["known"], known)
            if book.sizing == "equal":
                money = equity / book.slots
            elif book.sizing == "money":
                money = book.size
            else:
                if book.sizing == "risk":
                    distance = (fill - stop / factor) * side
                else:
                    distance = self.column(signal["known"])(check_expression("atr(14)").op) / factor
                if not distance > 0:
                    return "unsized"
                money = equity * book.size / distance * fill
            if book.most_share is not None:
                money = min(money, book.most_share * equity)
            if book.most_day is not None:
                turnover = self.column(signal["known"])(check_expression("avg_turnover(20)").op)
                if math.isnan(turnover):
                    return "unsized"
                money = min(money, book.most_day * turnover)
            whole = money
            money = min(money, book.gross * equity - sum(p["shares"] * p["mark"] for p in self.positions))
            if side > 0:
                money = min(money, self.cash)
            if money < 0.1 * whole:
                return "no_cash"
            shares = money / (fill * (1 + book.cost))
            if shares * fill * book.cost < book.cost_least:
                shares = (money - book.cost_least) / fill
            if not book.fractions:
                shares = math.floor(shares + 1e-9)
            if (not book.fractions and shares < 1) or (book.fractions and shares * fill <= 1e-9 * equity):
                return "no_cash"
        bill = max(shares * fill * book.cost, book.cost_least)
        self.cash -= side * shares * fill + bill
        risk = (fill * factor - stop) * side
        known["risk"] = risk if risk > 0 else math.nan
        self.positions.append(
            {"number": self.number, "symbol": symbol, "rule": signal["rule"], "place": signal["place"], "side": side, "row": row,
             "entry_row": row, "entry_day": day, "signal_day": signal["day"], "shares": shares, "bought": shares, "mult": 1.0, "raw": raw,
             "paid": fill, "mark": fill, "entry": fill * factor, "risk": known["risk"], "stop": stop, "follow": math.nan, "met": [fill * factor],
             "bars": 0 if how == "close" else -1, "how": how, "due": None, "bill": bill, "received": 0.0, "here": True,
             "targets": [[self.level(x.op, signal["known"], known), x.part, False] for x in ways.targets]}
        )  # fmt: skip
        self.number += 1
        return "traded"

    # -- positions ------------------------------------------------------------------------------------------------------

    def resting(self, p: dict[str, Any]) -> tuple[float, str]:
        levels = [(x, name) for x, name in ((p["stop"], "stop"), (p["follow"], "follow")) if not math.isnan(x)]
        if not levels:
            return math.nan, ""
        if len(levels) == 2 and levels[0][0] == levels[1][0]:
            return levels[0]
        return max(levels) if p["side"] > 0 else min(levels)

    def take(self, p: dict[str, Any], n: int, price: float, day: int) -> None:
        target = p["targets"][n]
        target[2] = True
        shares, parts = p["shares"], [t[1] for t in p["targets"]]
        rest = sum(parts) >= 1 - 1e-9 and all(t[2] for t in p["targets"])
        if target[1] < 1 and not rest:
            wanted = target[1] * p["bought"] * p["mult"]
            shares = min(shares, wanted if self.book.fractions else math.floor(wanted + 1e-9))
        if shares > 0:
            self.close(p, shares, price, "target", day, (n,))

    def reached(self, target: list[Any], price: float, p: dict[str, Any], factor: float) -> bool:
        return not target[2] and not math.isnan(target[0]) and (price - target[0] / factor) * p["side"] >= 0

    def bar(self, row: int) -> tuple[float, ...]:
        b = self.bars
        return tuple(float(x[row]) for x in (b.open, b.high, b.low, b.close, b.factor))

    def gone(self, symbol: str, day: int, since: int) -> bool:
        k = self.bars.number[symbol]
        if len(self.market.delisted) and self.market.delisted[k] >= 0:
            return day > max(int(self.market.delisted[k]), int(self.bars.days[self.bars.offsets[k + 1] - 1]))
        return self.days.index(day) - self.days.index(since) > UNKNOWN_FOR

    # -- the day --------------------------------------------------------------------------------------------------------

    def signals(self) -> list[dict[str, Any]]:
        found, bars = [], self.bars
        for place, e in enumerate(self.book.enters):
            truth = [self.evaluator.column(line.op) for line in e.rule.deciding]
            belongs = self.market.members(e.rule.universe)
            for k, symbol in enumerate(bars.symbols):
                for row in range(bars.offsets[k], bars.offsets[k + 1]):
                    if not all(column[row] == 2 for column in truth) or (belongs is not None and not belongs[row]):
                        continue
                    if self.book.only and symbol != self.book.only:
                        continue
                    if e.rule.frame == "week" and not self.ends_week(int(bars.days[row])):
                        continue
                    opens = e.rule.decide == "open"
                    if opens and row == bars.offsets[k]:
                        continue
                    known = row - 1 if opens else row
                    rank = self.book.rank
                    score = math.nan if rank is None else self.column(known)(rank.op)
                    found.append({"rule": e.name, "place": place, "side": e.side, "symbol": symbol, "row": row, "known": known, "enter": e,
                                  "day": int(bars.days[row]), "kind": "same open" if opens else e.kind, "score": score})  # fmt: skip
        return found

    def ends_week(self, day: int) -> bool:
        later = [d for d in self.days if d > day]
        following = later[0] if later else day + (3 if (day + 3) % 7 == 4 else 1)
        return (following + 3) // 7 != (day + 3) // 7

    def holds(self, condition: Any, day: int) -> int:
        """The condition on the benchmark's latest bar up to a day."""
        if condition is None:
            return 2
        rows = [r for d, r in self.rows[str(self.market.benchmark)].items() if d <= day]
        return int(self.column(rows[-1])(condition.op)) if rows else 1

    def order_of(self, signals: list[dict[str, Any]]) -> list[dict[str, Any]]:
        def key(s: dict[str, Any]) -> tuple[Any, ...]:
            score = self.draw(s) if self.book.rank is None else s["score"]
            return (math.isnan(score), -score if not math.isnan(score) else 0.0, s.get("since", 0), s["symbol"], s["place"])

        return sorted(signals, key=key)

    def run(self) -> None:
        waiting = self.signals()
        for s in waiting:
            place = self.days.index(s["day"])
            known = self.days[max(place - 1, 0)] if s["kind"] == "same open" else s["day"]
            later = (0 if s["kind"] in ("same open", "close") else 1) + self.delay
            s["due"] = place + later
            s["at"] = s["row"] + later
            self.said(s, "waiting")
            if self.holds(self.book.only_while, known) != 2 or self.holds(self.book.out_unless, known) != 2:
                self.said(s, "filtered")
            elif s["due"] < len(self.days) and s["kind"] != "price" and self.rows[s["symbol"]].get(self.days[s["due"]]) != s["at"]:
                self.said(s, "no_bar")
            elif s["kind"] == "price":
                s["price"] = float(self.column(s["row"])(s["enter"].price.op))
                if not s["price"] > 0:
                    self.said(s, "unsized")
        for t, day in enumerate(self.days):
            due = [s for s in waiting if s["due"] == t and self.outcome[self.key(s)] == "waiting"]
            if not self.one_day(t, day, due):
                return
        for p in self.positions:
            self.close(dict(p), p["shares"], p["mark"], "end", self.days[-1])

    def key(self, s: dict[str, Any]) -> tuple[str, str, int]:
        return s["rule"], s["symbol"], s["day"]

    def said(self, s: dict[str, Any], what: str) -> None:
        self.outcome[self.key(s)] = what

    def held(self, symbol: str) -> bool:
        return any(p["symbol"] == symbol for p in self.positions)

    def try_all(self, signals: list[dict[str, Any]], day: int, field: int, how: str) -> None:
        for s in self.order_of(signals):
            if self.held(s["symbol"]):
                self.said(s, "held")
            elif len(self.positions) >= self.book.slots:
                self.said(s, "no_slot")
            else:
                self.said(s, self.enter(s, s["at"], day, self.bar(s["at"])[field], how))
                if self.outcome[self.key(s)] == "traded" and how == "close":
                    self.positions[-1]["mark"] = self.bar(s["at"])[3]
                    if self.holds(self.book.out_unless, day) == 0:
                        self.positions[-1]["due"] = ("out", ())

    def one_day(self, t: int, day: int, due: list[dict[str, Any]]) -> bool:
        book = self.book
        if t:
            years = (day - self.days[t - 1]) / 365.0
            short = sum(p["shares"] * p["mark"] for p in self.positions if p["side"] < 0)
            earned = max(0.0, self.cash - short) * book.cash_earns * years
            paid = (short + max(0.0, -self.cash)) * book.borrow_costs * years
            self.cash += earned - paid
            self.interest += earned
            self.borrow += paid
        for p in self.positions:
            row = self.rows[p["symbol"]].get(day)
            p["here"], p["how"] = row is not None, "before"
            if row is not None:
                p["row"] = row
                self.cash += split(self.market, p, row)
        for p in self.positions:
            if not p["here"] and self.gone(p["symbol"], day, int(self.bars.days[p["row"]])):
                self.close(p, p["shares"], p["mark"] * book.delisting, "delisted", day)
        for p in self.positions:
            if p["here"] and p["due"]:
                self.close(p, p["shares"], self.bar(p["row"])[0], p["due"][0], day, p["due"][1])
        for p in self.positions:
            if p["here"] and p["shares"] > 0:
                self.at_open(p, day)
        self.positions = [p for p in self.positions if p["shares"] > 0]
        self.try_all([s for s in due if s["kind"] in ("next open", "same open")], day, 0, "open")
        for s in due:
            if s["kind"] == "price":
                self.orders.append({**s, "since": t, "left": s["enter"].bars, "signal": s})
        touched = []
        for s in self.orders:
            row = self.rows[s["symbol"]].get(day)
            if row is None:
                continue
            s["left"] -= 1
            s["at"] = row
            open_, high, low, _, factor = self.bar(row)
            price, buy = s["price"] / factor, s["side"] > 0
            b = self.bars
            up = (s["price"] >= b.close[s["row"]] * b.factor[s["row"]]) == buy or s["price"] == b.close[s["row"]] * b.factor[
                s["row"]
            ]
            if buy:
                fill = (max(open_, price) if high >= price else None) if up else (min(open_, price) if low <= price else None)
            else:
                fill = (min(open_, price) if low <= price else None) if up else (max(open_, price) if high >= price else None)
            if fill is not None:
                touched.append({**s, "fill": fill, "how": "open" if fill == open_ else "up" if up else "down"})
        for s in self.order_of(touched):
            if self.held(s["symbol"]):
                self.said(s, "held")
            elif len(self.positions) >= book.slots:
                self.said(s, "no_slot")
            else:
                self.said(s, self.enter(s, s["at"], day, s["fill"], s["how"]))
        for s in self.orders:
            if self.outcome[self.key(s)] == "waiting":
                if s["left"] == 0:
                    self.said(s, "unfilled")
                elif (
                    len(self.market.delisted)
                    and self.market.delisted[self.bars.number[s["symbol"]]] >= 0
                    and self.gone(s["symbol"], day, day)
                ):
                    self.said(s, "unfilled" if s["left"] < s["enter"].bars else "no_bar")
        self.orders = [s for s in self.orders if self.outcome[self.key(s)] == "waiting"]
        for p in self.positions:
            if p["here"]:
                self.within(p, day)
        self.positions = [p for p in self.positions if p["shares"] > 0]
        for p in self.positions:
            if p["here"]:
                self.decide(p, day)
                member = self.market.members(book.universe)
                if book.leaves == "exit" and not p["due"] and member is not None and not member[p["row"]]:
                    p["due"] = ("left", ())
            if self.holds(book.out_unless, day) == 0 and book.out_unless is not None and not p["due"]:
                p["due"] = ("out", ())
        self.positions = [p for p in self.positions if p["shares"] > 0]
        self.try_all([s for s in due if s["kind"] == "close"], day, 3, "close")
        value = sum(p["side"] * p["shares"] * p["mark"] for p in self.positions)
        self.equity.append(self.cash + value)
        if self.equity[-1] <= 0:
            for p in self.positions:
                self.close(dict(p), p["shares"], p["mark"], "end", day)
            return False
        return True

    def at_open(self, p: dict[str, Any], day: int) -> None:
        open_, _, _, _, factor = self.bar(p["row"])
        stop, why = self.resting(p)
        if not math.isnan(stop) and (open_ - stop / factor) * p["side"] <= 0:
            self.close(p, p["shares"], open_, why, day)
            return
        for n, target in by_distance(p):
            if p["shares"] > 0 and self.reached(target, open_, p, factor):
                self.take(p, n, open_, day)

    def within(self, p: dict[str, Any], day: int) -> None:
        open_, high, low, close, factor = self.bar(p["row"])
        begin = p["raw"] if p["how"] in ("up", "down") else open_
        long = p["side"] > 0
        stop, why = self.resting(p)
        if not math.isnan(stop):
            level = stop / factor
            if (low <= level) if long else (high >= level):
                p["met"].append(begin * factor)
                self.close(p, p["shares"], min(begin, level) if long else max(begin, level), why, day)
                return
        far = (close if p["how"] == "down" else high) if long else (close if p["how"] == "down" else low)
        if any(self.reached(target, far, p, factor) for target in p["targets"]):  # the worst of the bar is taken to lie before
            p["met"] += [begin * factor, (low if long else high) * factor]
        for n, target in by_distance(p):
            if p["shares"] > 0 and self.reached(target, far, p, factor):
                level = target[0] / factor
                self.take(p, n, max(level, begin) if long else min(level, begin), day)

    def decide(self, p: dict[str, Any], day: int) -> None:
        _, high, low, close, factor = self.bar(p["row"])
        p["mark"] = close
        long, ways = p["side"] > 0, self.book.ways(p["side"])
        p["met"] += [low * factor, high * factor]
        best, worst = (max(p["met"]), min(p["met"])) if long else (min(p["met"]), max(p["met"]))
        p["bars"] += 1
        gain = p["side"] * (close * factor / p["entry"] - 1)
        known = {"entry": p["entry"], "risk": p["risk"], "bars_held": float(p["bars"]), "gain": gain, "best": best, "worst": worst,
                 "gain_r": p["side"] * (close * factor - p["entry"]) / p["risk"], "held_rule": float(p["place"])}  # fmt: skip
        if ways.follow is not None:
            value = self.level(ways.follow.op, p["row"], known)
            if not math.isnan(value):
                old = p["follow"]
                p["follow"] = value if math.isnan(old) else (max if long else min)(old, value)
        if p["due"]:
            return
        true = tuple(n for n, x in enumerate(ways.exits) if value_of(x.op, known, self.column(p["row"])) == 2)
        if any(ways.exits[n].at_close for n in true):
            self.close(p, p["shares"], close, "exit", day, true)
        elif true:
            p["due"] = ("exit", true)
