"""Messages: written as mail, kept in the outbox through Django's mail framework, and sent on where a mail server is set."""

import hashlib
import io
import logging
from collections.abc import Sequence
from html import escape
from typing import Any

import numpy as np
from django.conf import settings
from django.core.mail import EmailMultiAlternatives, get_connection
from django.core.mail.backends.base import BaseEmailBackend
from django.utils import timezone

from upperwick.keeping.models import Message
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment

OURS = "upperwick"  # the attribute that carries what the outbox keeps beside a message
CHARTS, CHART_BARS = 4, 90


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
        subject.replace("\n", " ")[:300], "\n".join(lines), settings.DEFAULT_FROM_EMAIL, [to],
        headers={"Message-ID": f"<{name}@upperwick.invalid>", "X-Upper-Wick-Moment": moment},
        connection=get_connection("upperwick.keeping.mail.Outbox"),
    )  # fmt: skip
    # A line each: no line of a message is longer than 998 characters (RFC 5322, 2.1.1).
    rows = "\n".join(f"<p>{escape(line)}</p>" for line in lines if line) + "\n"
    drawn = "\n".join(f'<p><img src="cid:{symbol}@{name}" alt="{escape(symbol)}"></p>' for symbol, _ in charts)
    message.attach_alternative(f'<html><body style="font-family:sans-serif">\n{rows}{drawn}\n</body></html>', "text/html")
    for symbol, png in charts:
        message.attach(_inline(symbol, name, png))
    setattr(
        message,
        OURS,
        {"owner": owner, "key": key, "kind": kind, "moment": moment, "place": place, "symbols": list(symbols)},
    )
    message.send()


def _inline(symbol: str, name: str, png: bytes) -> Any:
    from email.mime.image import MIMEImage

    image = MIMEImage(png, "png")
    image.add_header("Content-ID", f"<{symbol}@{name}>")
    image.add_header("Content-Disposition", "inline", filename=f"{symbol}.png")
    return image


def small_chart(market: Market, symbol: str, at: Moment, level: float | None = None) -> bytes:
    """A PNG of an instrument's last daily bars up to a moment, on that day's scale, with a level across."""
    from matplotlib.figure import Figure

    bars = market.bars
    k = bars.number[symbol]
    end = int(bars.ends(at)[k])
    begin = max(int(bars.offsets[k]), end - CHART_BARS)
    figure = Figure(figsize=(5.2, 2.2), dpi=100)
    axes = figure.add_axes((0.02, 0.1, 0.86, 0.8))
    if end > begin:
        scale = bars.factor[begin:end] / bars.factor[end - 1]
        open_, high, low, close = (getattr(bars, n)[begin:end] * scale for n in ("open", "high", "low", "close"))
        x = np.arange(end - begin)
        axes.vlines(x, low, high, color="#211d18", linewidth=0.7)
        axes.bar(x, close - open_, 0.6, open_, color=["#211d18" if c < o else "#f6f1e6" for o, c in zip(open_, close, strict=True)],
                 edgecolor="#211d18", linewidth=0.6)  # fmt: skip
    if level is not None:
        axes.axhline(level, color="#b8430f", linewidth=0.9)
    axes.yaxis.tick_right()
    axes.set_xticks([])
    for side in ("top", "left", "bottom", "right"):
        axes.spines[side].set_visible(False)
    axes.tick_params(labelsize=7, length=0)
    axes.set_title(symbol, fontsize=8, loc="left")
    sink = io.BytesIO()
    figure.savefig(sink, format="png", metadata={"Software": None})
    return sink.getvalue()


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
