from django.apps import AppConfig


class DataConfig(AppConfig):
    name = "upperwick.data"
    label = "data"

    def ready(self) -> None:
        """Makes the kinds of work known to the jobs."""
        from upperwick.data.work import WORK
        from upperwick.jobs.registry import Kind, register
        from upperwick.market.load import data_version

        for name, work in WORK.items():
            register(name, Kind(work, data_version))
