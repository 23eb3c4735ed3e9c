from django.db import migrations, models

COUNTED_BEFORE = ("axes_accessattempt", "axes_accesslog", "axes_accessfailurelog", "axes_accessattemptexpiration")


class Migration(migrations.Migration):
    """Wrong passwords are counted here; the tables of the package that counted them before go."""

    dependencies = [("accounts", "0002_account_of_preferences")]

    operations = [
        migrations.CreateModel(
            name="WrongTries",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.CharField(max_length=240, unique=True)),
                ("count", models.PositiveIntegerField()),
                ("last", models.DateTimeField(db_index=True)),
            ],
        ),
        migrations.RunSQL([f"DROP TABLE IF EXISTS {table}" for table in reversed(COUNTED_BEFORE)], migrations.RunSQL.noop),
    ]
