from django.apps import AppConfig
from django.db.models.signals import post_delete


class BooksConfig(AppConfig):
    name = "upperwick.books"
    label = "books"

    def ready(self) -> None:
        """Makes the kinds of runs known to the jobs; every account begins with the starter books; a rule's new name is theirs
        too."""
        from upperwick.accounts.signals import welcomed
        from upperwick.books import services
        from upperwick.books.models import Book
        from upperwick.books.work import WORK
        from upperwick.jobs.models import Job
        from upperwick.jobs.registry import Kind, register
        from upperwick.market.load import data_version
        from upperwick.rules.signals import renamed

        for name, work in WORK.items():
            register(name, Kind(work, data_version))

        def begin(sender: object, user: object, **_: object) -> None:
            services.add_starters(user)

        def named(sender: object, owner: object, was: str, name: str, **_: object) -> None:
            services.rule_renamed(owner, was, name)

        def gone(instance: Book, **_: object) -> None:
            Job.objects.filter(subject_kind="book", subject_id=instance.pk).delete()

        welcomed.connect(begin, weak=False, dispatch_uid="starter books")
        renamed.connect(named, weak=False, dispatch_uid="a rule's new name in books")
        post_delete.connect(gone, sender=Book, weak=False, dispatch_uid="runs of a book")
