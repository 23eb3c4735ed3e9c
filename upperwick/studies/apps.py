from django.apps import AppConfig
from django.db.models.signals import post_delete


class StudiesConfig(AppConfig):
    name = "upperwick.studies"
    label = "studies"

    def ready(self) -> None:
        """Makes the kinds of studies known to the jobs; what was asked about a rule goes with it."""
        from upperwick.jobs.models import Job
        from upperwick.jobs.registry import register
        from upperwick.market.version import data_version
        from upperwick.rules.models import Rule

        register("upperwick.studies.work", data_version, "study", "parts", "compare", lane="asked")
        register("upperwick.studies.work", data_version, "sweep", lane="long")

        def gone(instance: Rule, **_: object) -> None:
            Job.objects.filter(subject_kind="rule", subject_id=instance.pk).delete()

        post_delete.connect(gone, sender=Rule, weak=False, dispatch_uid="studies of a rule")
