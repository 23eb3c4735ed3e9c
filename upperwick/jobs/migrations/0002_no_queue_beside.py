from django.db import migrations

QUEUE = ("django_tasks_database_dbtaskresult", "django_tasks_db_dbtaskresult")


class Migration(migrations.Migration):
    """What waits is told by the jobs themselves; the table of the queue that was beside them goes."""

    dependencies = [("jobs", "0001_initial")]

    operations = [migrations.RunSQL([f"DROP TABLE IF EXISTS {table}" for table in QUEUE], migrations.RunSQL.noop)]
