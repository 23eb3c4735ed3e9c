"""Books of each account, with every version ever saved; what each has tried, and whose seal was broken. Runs themselves are jobs."""

from django.db import models

from upperwick.base.named import SealBroken, Tried, Version, VersionedText, owner
from wickcore.language.parser import MAX_CHARACTERS


class Book(VersionedText):
    """A book's present text."""

    word, most, longest = "book", 500, MAX_CHARACTERS
    owner = owner("books")


class BookVersion(Version):
    """What a save of a book kept."""

    book = models.ForeignKey(Book, on_delete=models.CASCADE, related_name="versions")

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=["book", "number"], name="one_book_version_a_number")]

    def __str__(self) -> str:
        return f"{self.book} {self.number}"


class BookTry(Tried):
    """One setting of a book that was run: text, rules, dials, days. `returns` holds its daily returns, compressed."""

    book = models.ForeignKey(Book, on_delete=models.CASCADE, related_name="tries")
    returns = models.BinaryField()

    class Meta(Tried.Meta):
        constraints = [models.UniqueConstraint(fields=["book", "digest", "data_version"], name="one_book_try_a_setting")]


class BookSeal(SealBroken):
    """The one act by which a book's sealed days were opened."""

    book = models.OneToOneField(Book, on_delete=models.CASCADE, related_name="seal_break")

    def __str__(self) -> str:
        return f"{self.book} at version {self.version}"
