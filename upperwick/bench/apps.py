from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "upperwick.bench"

    def ready(self) -> None:
        """Lists and the bench follow a symbol that is renamed."""
        from upperwick.market.symbol_references import follow

        follow("bench.BenchItem", "symbol")
        follow("bench.BenchList", "symbols", many=True)
