from django.apps import AppConfig


class AlertsConfig(AppConfig):
    name = "upperwick.alerts"
    label = "keeping"  # what its tables are named after

    def ready(self) -> None:
        """Alerts of a breadth go on under its new name, and those of a rule say its new one."""
        from upperwick.accounts.signals import signed_out_everywhere
        from upperwick.market.symbol_references import follow
        from upperwick.rules.signals import breadth_renamed, renamed

        def rule_named(sender: object, owner: object, was: str, name: str, **_: object) -> None:
            from upperwick.alerts.models import Alert

            for alert in Alert.objects.filter(owner=owner, kind="rule", about__name=was):
                alert.about = {**alert.about, "name": name}
                alert.save(update_fields=["about"])

        def named(sender: object, owner: object, was: str, name: str, **_: object) -> None:
            from upperwick.alerts.models import Alert

            for alert in Alert.objects.filter(owner=owner, kind="breadth", about__name=was):
                if not alert.about.get("text"):
                    alert.about = {**alert.about, "name": name}
                    alert.save(update_fields=["about"])

        def ended(sender: object, user: object, **_: object) -> None:
            from upperwick.outbox.calendar_feed import end_link

            end_link(user)

        follow("keeping.Alert", "symbol")
        follow("keeping.Message", "symbols", many=True)
        follow("keeping.Schedule", "hits", many=True)
        signed_out_everywhere.connect(ended, weak=False, dispatch_uid="a calendar's address")
        renamed.connect(rule_named, weak=False, dispatch_uid="a rule's new name in alerts")
        breadth_renamed.connect(named, weak=False, dispatch_uid="a breadth's new name in alerts")
