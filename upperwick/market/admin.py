"""What people who run a server look at: instruments, universes, imports."""

from django.contrib import admin
from django.http import HttpRequest

from upperwick.market.models import CalendarEvent, DataVersion, Instrument, Member, Universe


class LookedAt(admin.ModelAdmin):
    """What is looked at here and changed by imports alone."""

    def has_add_permission(self, request: HttpRequest, *_: object) -> bool:
        return False

    def has_change_permission(self, request: HttpRequest, *_: object) -> bool:
        return False

    def has_delete_permission(self, request: HttpRequest, *_: object) -> bool:
        return False


@admin.register(Instrument)
class InstrumentAdmin(LookedAt):
    list_display = ("symbol", "name", "kind", "sector", "listed", "delisted")
    list_filter = ("kind", "sector")
    search_fields = ("symbol", "name")


class MemberInline(admin.TabularInline):
    model = Member
    extra = 0
    can_delete = False
    max_num = 0
    fields = readonly_fields = ("instrument", "first", "last")


@admin.register(Universe)
class UniverseAdmin(LookedAt):
    list_display = ("name", "about")
    inlines = (MemberInline,)


@admin.register(DataVersion)
class DataVersionAdmin(LookedAt):
    list_display = ("id", "at", "what", "benchmark", "invented")


@admin.register(CalendarEvent)
class CalendarEventAdmin(LookedAt):
    list_display = ("day", "kind", "name")
    list_filter = ("kind", "name")
