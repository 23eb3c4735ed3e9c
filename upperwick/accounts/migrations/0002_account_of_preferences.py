"""The account's size moves beside what else plans reckon with."""

from django.db import migrations


def move_size(apps, schema_editor):
    for kept in apps.get_model("accounts", "Preferences").objects.all():
        if "account_size" in kept.document:
            size = kept.document.pop("account_size")
            kept.document["account"] = {**kept.document.get("account", {}), "size": size}
            kept.save(update_fields=["document"])


def move_back(apps, schema_editor):
    for kept in apps.get_model("accounts", "Preferences").objects.all():
        kept.document["account_size"] = kept.document.pop("account", {}).get("size")
        kept.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial")]
    operations = [migrations.RunPython(move_size, move_back)]
