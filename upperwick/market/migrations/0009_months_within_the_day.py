"""Five-minute bars lie in blocks of a month; those of a year are taken apart."""

from typing import Any

from django.db import migrations


def take_apart(apps: Any, schema_editor: Any) -> None:
    from upperwick.market.packing import blocks, digest, fits, unpack

    block, content = apps.get_model("market", "BarBlock"), apps.get_model("market", "BlockData")
    for old in list(block.objects.filter(frame="5min", year__lt=10_000).values_list("id", flat=True)):
        one = block.objects.get(id=old)
        held = content.objects.filter(id=one.content_id).first()
        if held is None or not fits(one.checksum, held.data):
            # Damaged: it goes on being said, of the year's first month, and an import of that month mends it.
            block.objects.filter(id=old).update(year=one.year * 12, rows=1)
            continue
        one.delete()
        for span, rows, data, _ in blocks(unpack(held.data)):
            made = content.objects.create(data=data)
            block.objects.create(
                instrument_id=one.instrument_id, frame="5min", year=span, rows=rows, checksum=digest(data), content=made
            )
        held.delete()


class Migration(migrations.Migration):
    dependencies = [("market", "0008_overnight_bars")]
    operations = [migrations.RunPython(take_apart, migrations.RunPython.noop)]
