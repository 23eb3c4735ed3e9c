from django.apps import AppConfig


class DataConfig(AppConfig):
    name = "upperwick.data"
    label = "data"

    def ready(self) -> None:
        """Makes the kinds of work known to the jobs."""
        from upperwick.jobs.registry import register
        from upperwick.market.columns.cache import on_damage
        from upperwick.market.version import data_version

        on_damage[:] = [_raise_issue]
        register("upperwick.data.importing.jobs", data_version, "data-look", "data-import", lane="data", apart=True)
        register("upperwick.data.importing.jobs", data_version, "data-undo", "data-export", lane="data")


def _raise_issue(key: str, text: str) -> None:
    from upperwick.data.quality.issues import raise_issue

    raise_issue("columns", key, text)
