from django.conf import settings
from django.core import signing
from django.db import migrations, models


def keep_addresses(apps, schema_editor):
    """Addresses that were given out before go on: they were an account's number, signed."""
    users = apps.get_model(*settings.AUTH_USER_MODEL.split("."))
    signer = signing.Signer(salt="calendar")
    links = apps.get_model("keeping", "CalendarLink").objects
    for pk in users.objects.values_list("pk", flat=True):
        links.create(owner_id=pk, token=signer.sign(str(pk)))


class Migration(migrations.Migration):
    """An address of a calendar that can be ended."""

    dependencies = [("keeping", "0003_schedule_only_new"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.CreateModel(
            name="CalendarLink",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("token", models.CharField(max_length=200, unique=True)),
                (
                    "owner",
                    models.OneToOneField(on_delete=models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL),
                ),
            ],
        ),
        migrations.RunPython(keep_addresses, migrations.RunPython.noop),
    ]
