"""Which version the stored data have."""

from upperwick.market.models import DataVersion


def data_version() -> str:
    """The version of the stored data; "0" when nothing was ever stored."""
    latest = DataVersion.objects.order_by("-id").values_list("id", flat=True).first()
    return str(latest or 0)
