from django.db import migrations, models

KINDS = ("refused", "asked", "session", "silent", "late", "columns")


class Migration(migrations.Migration):
    """Damaged columns are an issue too."""

    dependencies = [("data", "0003_vendors_and_issues")]

    operations = [
        migrations.AlterField(
            model_name="dataissue",
            name="kind",
            field=models.CharField(choices=[(k, k) for k in KINDS], max_length=10),
        )
    ]
