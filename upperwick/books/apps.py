from django.apps import AppConfig
from django.db.models.signals import post_delete


class BooksConfig(AppConfig):
    name = "upperwick.books"
    label = "books"

    def ready(self) -> None:
        """Makes the kinds of runs known to the jobs; every account begins with the starter books; a rule's new name is theirs
        too."""
        from upperwick.accounts.signals import welcomed
        from upperwick.books.models import Book
        from upperwick.jobs.models import Job
        from upperwick.jobs.registry import register
        from upperwick.market.version import data_version
        from upperwick.rules.signals import breadth_renamed, renamed

        register("upperwick.books.work", data_version, "book", "book-what-if", lane="asked")
        register("upperwick.books.work", data_version, "book-luck", "book-sweep", "book-walk", lane="long")

        def begin(sender: object, user: object, **_: object) -> None:
            from upperwick.books.services import add_starters

            add_starters(user)

        def named(sender: object, owner: object, was: str, name: str, **_: object) -> None:
            from upperwick.books.services import rule_renamed

            rule_renamed(owner, was, name)

        def breadth_named(sender: object, owner: object, was: str, name: str, **_: object) -> None:
            from upperwick.books import services

            services.breadth_renamed(owner, was, name)

        def gone(instance: Book, **_: object) -> None:
            Job.objects.filter(subject_kind="book", subject_id=instance.pk).delete()

        welcomed.connect(begin, weak=False, dispatch_uid="starter books")
        renamed.connect(named, weak=False, dispatch_uid="a rule's new name in books")
        breadth_renamed.connect(breadth_named, weak=False, dispatch_uid="a breadth's new name in books")
        post_delete.connect(gone, sender=Book, weak=False, dispatch_uid="runs of a book")
