from django.apps import AppConfig


class DataConfig(AppConfig):
    name = "upperwick.data"
    label = "data"

    def ready(self) -> None:
        """Makes the kinds of work known to the jobs."""
        from upperwick.jobs.registry import register
        from upperwick.market.version import data_version

        register("upperwick.data.work", data_version, "data-look", "data-import", "data-undo", "data-export")
