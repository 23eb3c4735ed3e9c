from django.apps import AppConfig


class RulesConfig(AppConfig):
    name = "upperwick.rules"
    label = "rules"

    def ready(self) -> None:
        """Every account begins with the starter rules."""
        from upperwick.accounts.signals import welcomed
        from upperwick.rules.services import add_starters

        def begin(sender: object, user: object, **_: object) -> None:
            add_starters(user)

        welcomed.connect(begin, weak=False, dispatch_uid="starter rules")
