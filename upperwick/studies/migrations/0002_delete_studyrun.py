"""Studies become jobs, with their answers and under their numbers."""

from django.db import migrations

SAME = ("id", "owner_id", "kind", "name", "question", "digest", "data_version", "state", "stage", "share", "detail", "cancel", "beat",
        "seconds", "headline", "answer")


def move(apps, schema_editor):
    StudyRun, Job = apps.get_model("studies", "StudyRun"), apps.get_model("jobs", "Job")
    for number in list(StudyRun.objects.order_by("id").values_list("id", flat=True)):
        run = StudyRun.objects.get(id=number)
        job = Job(subject_kind="rule", subject_id=run.rule_id, note={"version": run.version}, **{name: getattr(run, name) for name in SAME})
        if job.state in ("waiting", "running"):  # nobody carries it out any more
            job.state, job.detail = "interrupted", "The application was updated in the middle of this; it can be run again."
        job.save(force_insert=True)
        Job.objects.filter(id=number).update(asked=run.asked)


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial"), ("studies", "0001_initial")]
    operations = [migrations.RunPython(move, migrations.RunPython.noop), migrations.DeleteModel(name="StudyRun")]
