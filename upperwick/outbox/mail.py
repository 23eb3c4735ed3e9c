"""Messages: written as mail, kept in the outbox through Django's mail framework, and sent on where a mail server is set."""

import hashlib
import io
import logging
import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from django.conf import settings
from django.core.mail import EmailMultiAlternatives, get_connection
from django.core.mail.backends.base import BaseEmailBackend
from django.utils import timezone

from upperwick.base.outgoing import in_file_name, in_header, in_html
from upperwick.charts.bars_at import standing
from upperwick.market.services import open_market
from upperwick.outbox.kinds import checked
from upperwick.outbox.models import Message
from upperwick.reports.palette import rgb
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment
from wickcore.language.check import check_expression

PRICES = ("open", "high", "low", "close")
OURS = "upperwick"  # the attribute that carries what the outbox keeps beside a message
CHARTS, CHART_BARS = 4, 90
PAPER, INK, EMBER, HAIR = map(rgb, ("paper", "ink", "ember", "hair"))
SIZE, PLOT = (520, 220), (12, 26, 460, 208)  # pixels: width and height; left, top, right and bottom of where prices lie


class Outbox(BaseEmailBackend):
    """Django's mail framework, writing into the database."""

    def send_messages(self, email_messages: Sequence[Any]) -> int:
        """Keeps each message; one that was told before is not kept again."""
        kept = 0
        for message in email_messages:
            told = getattr(message, OURS)
            _, new = Message.objects.get_or_create(
                owner=told["owner"],
                key=told["key"],
                defaults={
                    **{name: told[name] for name in ("kind", "moment", "place", "symbols")},
                    "subject": message.subject[:300],
                    "text": message.body,
                    "raw": message.message().as_bytes(),
                },
            )
            kept += new
        return kept


def tell(
    owner: Any, key: str, kind: str, moment: str, subject: str, lines: Sequence[str], *, place: str = "", symbols: Sequence[str] = (),
    charts: Sequence[tuple[str, bytes]] = (),
) -> None:  # fmt: skip
    """Writes a message to an owner. To be called in the transaction of what it tells of: both stand, or neither."""
    to = owner.email or f"{owner.get_username()}@upperwick.invalid"
    name = hashlib.blake2b(f"{owner.pk} {key}".encode(), digest_size=12).hexdigest()
    message = EmailMultiAlternatives(
        in_header(subject), "\n".join(lines), settings.DEFAULT_FROM_EMAIL, [to],
        headers={"Message-ID": f"<{name}@upperwick.invalid>", "X-Upper-Wick-Moment": moment},
        connection=get_connection("upperwick.outbox.mail.Outbox"),
    )  # fmt: skip
    # A line each: no line of a message is longer than 998 characters (RFC 5322, 2.1.1).
    rows = "\n".join(f"<p>{in_html(line)}</p>" for line in lines if line) + "\n"
    drawn = "\n".join(f'<p><img src="cid:chart{at}@{name}" alt="{in_html(symbol)}"></p>' for at, (symbol, _) in enumerate(charts))
    message.attach_alternative(f'<html><body style="font-family:sans-serif">\n{rows}{drawn}\n</body></html>', "text/html")
    for at, (symbol, png) in enumerate(charts):
        message.attach(_inline(f"chart{at}@{name}", symbol, png))
    setattr(
        message,
        OURS,
        {"owner": owner, "key": key, "kind": checked(kind), "moment": moment, "place": place, "symbols": list(symbols)},
    )
    message.send()


def _inline(chart: str, symbol: str, png: bytes) -> Any:
    from email.mime.image import MIMEImage

    image = MIMEImage(png, "png")
    image.add_header("Content-ID", f"<{chart}>")
    image.add_header("Content-Disposition", "inline", filename=in_file_name(f"{symbol}.png"))
    return image


def small_chart(market: Market, symbol: str, at: Moment, level: float | None = None) -> bytes:
    """A PNG of an instrument's last daily bars up to a moment (see `last_days`), with a level across."""
    return _drawn(symbol, last_days(market, symbol, at), level)


def last_days(market: Market, symbol: str, at: Moment) -> tuple[tuple[float, ...], ...]:
    """Opens, highs, lows and closes of an instrument's last daily bars up to a moment, on that day's scale; inside a session the last is the
    day so far."""
    if not at.closed and market.finest != "day":
        stand = standing(open_market(), symbol, str(at))
        if stand.end == stand.begin:
            return ((),) * 4
        ends = stand.ends("day")[-CHART_BARS:]
        rows = stand.engine.rows([check_expression(n, "day", market.finest).op for n in PRICES], symbol)
        return tuple(tuple((row[ends] / stand.scale).tolist()) for row in rows)
    bars = market.bars
    k = bars.number[symbol]
    end = int(bars.ends(at)[k])
    begin = max(int(bars.offsets[k]), end - CHART_BARS)
    scale = bars.factor[begin:end] / bars.factor[end - 1] if end > begin else np.empty(0)
    return tuple(tuple((getattr(bars, n)[begin:end] * scale).tolist()) for n in PRICES)


@lru_cache(256)
def _drawn(symbol: str, prices: tuple[tuple[float, ...], ...], level: float | None) -> bytes:
    """Kept, since one evening tells of the same instruments many times."""
    from PIL import Image, ImageDraw, ImageFont

    left, top, right, bottom = PLOT
    image = Image.new("P", SIZE, 0)
    image.putpalette([value for colour in (PAPER, INK, EMBER, HAIR) for value in colour])
    pen, font = ImageDraw.Draw(image), ImageFont.load_default(11)
    pen.text((left, 4), symbol, 1, font)
    _, highs, lows, _ = prices
    if highs:
        low, high = min(lows), max(highs)
        room = (high - low) or high or 1.0

        def y(price: float) -> int:
            return round(bottom - (price - low) / room * (bottom - top))

        step = _nice(room / 4)
        for n in range(math.ceil(low / step), math.floor(high / step) + 1):
            pen.line((left, y(n * step), right, y(n * step)), 3)
            pen.text((right + 6, y(n * step) - 7), f"{n * step:,.2f}" if step < 1 else f"{n * step:,.0f}", 1, font)
        wide = (right - left) / CHART_BARS
        begin = right - wide * len(highs)
        for i, (open_, top_, low_, close) in enumerate(zip(*prices, strict=True)):
            x = round(begin + (i + 0.5) * wide)
            pen.line((x, y(top_), x, y(low_)), 1)
            body = (x - 2, y(max(open_, close)), x + 1, y(min(open_, close)))
            pen.rectangle(body, 0 if close >= open_ and body[3] > body[1] else 1, 1)
        if level is not None and low <= level <= high:
            pen.line((left, y(level), right, y(level)), 2, 2)
    sink = io.BytesIO()
    image.save(sink, "PNG")
    return sink.getvalue()


def _nice(step: float) -> float:
    """The next of 1, 2, 5 times a power of ten."""
    power = 10.0 ** math.floor(math.log10(step))
    return next(times * power for times in (1, 2, 5, 10) if times * power >= step * (1 - 1e-9))


def send_waiting() -> int:
    """Sends what the outbox holds and no mail server has had, where one is set; a message may reach it twice if this is ended in between."""
    if not settings.SMTP_HOST:
        return 0
    sent = 0
    connection = get_connection("django.core.mail.backends.smtp.EmailBackend")
    for message in Message.objects.filter(sent__isnull=True, deleted__isnull=True).select_related("owner").order_by("id")[:50]:
        address = message.owner.email
        if not address:
            continue
        try:
            connection.open()
            lines = bytes(message.raw).splitlines()  # a mail server wants each to end as RFC 5321 says
            connection.connection.sendmail(settings.DEFAULT_FROM_EMAIL, [address], b"\r\n".join([*lines, b""]))
        except OSError:
            logging.getLogger("upperwick").warning("The mail server did not take a message.", exc_info=True)
            break
        Message.objects.filter(id=message.id).update(sent=timezone.now())
        sent += 1
    connection.close()
    return sent
