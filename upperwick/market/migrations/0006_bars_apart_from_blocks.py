"""The bytes of the bars move into a table of their own, each under the number of the block that leads to it."""

import django.db.models.deletion
from django.db import migrations, models

MOVE = """
INSERT INTO market_blockdata (id, data) SELECT id, data FROM market_barblock;
UPDATE market_barblock SET content_id = id, data = x'';
"""


class Migration(migrations.Migration):

    dependencies = [
        ("market", "0005_what_must_hold"),
    ]

    operations = [
        migrations.CreateModel(
            name="BlockData",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("data", models.BinaryField()),
            ],
        ),
        migrations.AddField(
            model_name="barblock",
            name="content",
            field=models.ForeignKey(
                null=True, db_index=False, db_constraint=False, on_delete=django.db.models.deletion.DO_NOTHING, related_name="+", to="market.blockdata"
            ),
        ),
        migrations.RunSQL(MOVE, migrations.RunSQL.noop),
        migrations.RemoveField(model_name="barblock", name="data"),
        migrations.AlterField(
            model_name="barblock",
            name="instrument",
            field=models.ForeignKey(
                db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name="blocks", to="market.instrument"
            ),
        ),
    ]
