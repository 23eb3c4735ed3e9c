from typing import Any

from django.apps import AppConfig
from django.contrib.auth.signals import user_logged_out
from django.db import transaction
from django.db.models.signals import post_delete, post_save


class EventsConfig(AppConfig):
    name = "upperwick.events"
    label = "events"

    def ready(self) -> None:
        """What is changed in this process is told at once; what others change is looked for (watch.py)."""
        from upperwick.bench.models import BenchEvent, BenchList
        from upperwick.books.models import Book, BookSeal, BookVersion
        from upperwick.events.bus import publish
        from upperwick.events.kinds import SIGNED_OUT
        from upperwick.rules.models import Breadth, Rule, RuleVersion
        from upperwick.studies.models import SealBreak

        def tell(what: str, owner_id: int, **more: Any) -> None:
            """Once it can be read: whoever is told asks at once."""
            transaction.on_commit(lambda: publish(what, owner_id, **more))

        def rule_moved(instance: Rule, **_: object) -> None:
            tell("rules", instance.owner_id, id=instance.pk)

        def of_a_rule_moved(instance: Any, **_: object) -> None:
            rule_moved(instance.rule)

        def list_moved(instance: BenchList, **_: object) -> None:
            tell("lists", instance.owner_id)

        def bench_moved(instance: BenchEvent, **_: object) -> None:
            tell("bench", instance.item.owner_id, event=instance.pk)

        def breadth_moved(instance: Breadth, **_: object) -> None:
            tell("breadths", instance.owner_id)

        def book_moved(instance: Any, **_: object) -> None:
            book = instance if isinstance(instance, Book) else instance.book
            tell("books", book.owner_id, id=book.pk)

        post_save.connect(bench_moved, sender=BenchEvent, weak=False, dispatch_uid="bench moved")
        for model in (BookVersion, BookSeal):
            post_save.connect(book_moved, sender=model, weak=False, dispatch_uid=f"{model.__name__} moved")
        for signal in (post_save, post_delete):
            signal.connect(book_moved, sender=Book, weak=False, dispatch_uid="books moved")
            signal.connect(rule_moved, sender=Rule, weak=False, dispatch_uid="rules moved")
            signal.connect(breadth_moved, sender=Breadth, weak=False, dispatch_uid="breadths moved")
            signal.connect(list_moved, sender=BenchList, weak=False, dispatch_uid="lists moved")
        for model in (RuleVersion, SealBreak):
            post_save.connect(of_a_rule_moved, sender=model, weak=False, dispatch_uid=f"{model.__name__} moved")

        def left(user: Any, **_: object) -> None:
            if user is not None:
                publish(SIGNED_OUT, user.pk)

        user_logged_out.connect(left, weak=False, dispatch_uid="signed out")
