"""Jobs, for people who run a server: what is asked for, how long it takes, what failed."""

from django.contrib import admin
from django.http import HttpRequest

from upperwick.jobs.models import Job


@admin.register(Job)
class JobAdmin(admin.ModelAdmin):
    list_display = ("id", "kind", "name", "owner", "state", "asked", "seconds")
    list_filter = ("kind", "state")
    exclude = ("answer",)

    def has_add_permission(self, request: HttpRequest) -> bool:
        return False

    def has_change_permission(self, request: HttpRequest, obj: Job | None = None) -> bool:
        return False
