from django.apps import AppConfig
from django.db.models.signals import post_delete


class StudiesConfig(AppConfig):
    name = "upperwick.studies"
    label = "studies"

    def ready(self) -> None:
        """Makes the kinds of studies known to the jobs; what was asked about a rule goes with it."""
        from upperwick.jobs.models import Job
        from upperwick.jobs.registry import Kind, register
        from upperwick.market.load import data_version
        from upperwick.rules.models import Rule
        from upperwick.studies.work import WORK

        for name, work in WORK.items():
            register(name, Kind(work, data_version))

        def gone(instance: Rule, **_: object) -> None:
            Job.objects.filter(subject_kind="rule", subject_id=instance.pk).delete()

        post_delete.connect(gone, sender=Rule, weak=False, dispatch_uid="studies of a rule")
