"""Five-minute bars lie in blocks of a month; those of a year are taken apart."""

import zlib
from typing import Any

from django.db import migrations


def take_apart(apps: Any, schema_editor: Any) -> None:
    from upperwick.market.store import blocks, unpack

    block, content = apps.get_model("market", "BarBlock"), apps.get_model("market", "BlockData")
    for old in block.objects.filter(frame="5min", year__lt=10_000).select_related("content").iterator(50):
        if old.content is None or f"{zlib.crc32(old.content.data):08x}" != old.checksum:
            old.delete()  # damaged: nothing of it can be read
            continue
        for span, rows, data in blocks(unpack(old.content.data)):
            made = content.objects.create(data=data)
            block.objects.create(
                instrument_id=old.instrument_id, frame="5min", year=span, rows=rows, checksum=f"{zlib.crc32(data):08x}", content=made
            )
        data_id = old.content_id
        old.delete()
        content.objects.filter(id=data_id).delete()


class Migration(migrations.Migration):
    dependencies = [("market", "0008_overnight_bars")]
    operations = [migrations.RunPython(take_apart, migrations.RunPython.noop)]
