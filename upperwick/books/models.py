"""Books of each account, with every version ever saved; what each has tried, and whose seal was broken. Runs themselves are
jobs."""

from django.conf import settings
from django.db import models


class Book(models.Model):
    """A book's present text. `deleted` is set while a deletion can still be undone."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="books")
    name = models.CharField(max_length=120)
    text = models.TextField()
    created = models.DateTimeField(auto_now_add=True)
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_book_a_name_and_owner"
            )
        ]

    def __str__(self) -> str:
        return self.name


class BookVersion(models.Model):
    """What a save kept. Versions count from 1 within a book."""

    book = models.ForeignKey(Book, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    text = models.TextField()
    saved = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["book", "number"], name="one_book_version_a_number")]

    def __str__(self) -> str:
        return f"{self.book} {self.number}"


class BookTry(models.Model):
    """One setting of a book that was run: text, rules, dials, days. `returns` holds its daily returns, compressed."""

    book = models.ForeignKey(Book, on_delete=models.CASCADE, related_name="tries")
    digest = models.CharField(max_length=32)
    data_version = models.CharField(max_length=20)
    version = models.PositiveIntegerField(null=True, blank=True)
    label = models.CharField(max_length=200)
    made = models.DateTimeField(auto_now_add=True)
    returns = models.BinaryField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["book", "digest", "data_version"], name="one_book_try_a_setting")]

    def __str__(self) -> str:
        return self.label


class BookSeal(models.Model):
    """The one act by which a book's sealed days were opened, with the version it was done for."""

    book = models.OneToOneField(Book, on_delete=models.CASCADE, related_name="seal_break")
    version = models.PositiveIntegerField()
    sealed_from = models.DateField()
    broken = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.book} at version {self.version}"
