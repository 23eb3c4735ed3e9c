"""Bars that came with adjusted closes kept a factor counted from the first bar; now they keep adjusted close over close, as the source gave
it, so that bars of several files can be merged. A source's newest bar is the one it leaves as printed."""

import zlib

import pyarrow as pa
from django.db import migrations


def _read(data):
    with pa.ipc.open_stream(data) as reader:
        return reader.read_all()


def turn(apps, schema_editor):
    BarBlock = apps.get_model("market", "BarBlock")
    latest = {}
    for number in list(BarBlock.objects.order_by("instrument_id", "frame", "-year").values_list("id", flat=True)):
        block = BarBlock.objects.get(id=number)
        table = _read(block.data)
        if "factor" not in table.column_names:
            continue
        factor = table["factor"].to_numpy()
        newest = latest.setdefault((block.instrument_id, block.frame), factor[-1])
        place = table.column_names.index("factor")
        batch = table.set_column(place, "ratio", pa.array(factor / newest)).combine_chunks()
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, batch.schema) as writer:
            writer.write_table(batch)
        block.data = sink.getvalue().to_pybytes()
        block.checksum = f"{zlib.crc32(block.data):08x}"
        block.save(update_fields=["data", "checksum"])


class Migration(migrations.Migration):
    dependencies = [("market", "0003_weekly_options")]
    operations = [migrations.RunPython(turn, migrations.RunPython.noop)]
