"""Books in the administration."""

from django.contrib import admin

from upperwick.books.models import Book


@admin.register(Book)
class BookAdmin(admin.ModelAdmin):
    list_display = ("name", "owner", "saved", "deleted")
    list_filter = ("owner",)
    search_fields = ("name",)
    readonly_fields = ("created", "saved")
