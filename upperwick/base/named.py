"""What rules, books, breadths and lists have in common: an owner, a name of its own, deletion that can be undone, and versions."""

import hashlib
from collections.abc import Iterable
from typing import Any, ClassVar, Self

from django.conf import settings
from django.db import models
from django.utils import timezone

from upperwick.base.errors import Refused


def owner(related_name: str) -> Any:
    """The account that something belongs to, and ends with."""
    return models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name=related_name)


class Named(models.Model):
    """Something that an account keeps by name. `deleted` is set while a deletion can still be undone.

    word: what a message calls it. most: how many an account holds.
    """

    word: ClassVar[str]
    most: ClassVar[int]
    owner: Any
    name: Any
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return str(self.name)

    @classmethod
    def of(cls, owner: Any) -> "models.QuerySet[Self]":
        """The owner's, without deleted ones."""
        return cls._default_manager.filter(owner=owner, deleted__isnull=True)

    @classmethod
    def find(cls, owner: Any, number: int, deleted: bool = False) -> Self:
        """One of the owner's. Raises Refused (404) for another's or none."""
        item = cls._default_manager.filter(owner=owner, id=number, deleted__isnull=not deleted).first()
        if item is None:
            raise Refused(f"There is no such {cls.word}.", 404)
        return item

    @classmethod
    def check_room(cls, owner: Any) -> None:
        """Raises Refused where the account is full."""
        if cls.of(owner).count() >= cls.most:
            raise Refused(f"An account holds at most {cls.most:,} {cls.word}s; delete some first.")

    @classmethod
    def free_name(cls, owner: Any, wanted: str, taken: Iterable[str] = ()) -> str:
        """The name, with a number behind it where the owner's other items or `taken` have it."""
        used = {*cls.of(owner).values_list("name", flat=True), *taken}
        room = cls._meta.get_field("name").max_length - 10
        name, number = wanted, 2
        while name in used:
            name, number = f"{wanted[:room]} {number}", number + 1
        return name

    def check_name_free(self, name: str) -> None:
        """Raises Refused (409) where another of the owner's has the name."""
        if type(self).of(self.owner).filter(name=name).exclude(id=self.pk).exists():
            raise Refused(f"You have another {self.word} named “{name}”; choose another name.", 409)

    def put_away(self) -> None:
        """Deletes it, so that it can be brought back."""
        self.deleted = timezone.now()
        self.save(update_fields=["deleted"])


class NamedText(Named):
    """A text that an account keeps by name."""

    longest: ClassVar[int]
    name = models.CharField(max_length=120)
    text = models.TextField()

    class Meta:
        abstract = True
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_%(class)s_a_name_and_owner"
            )
        ]

    @classmethod
    def check_size(cls, text: str) -> None:
        """Raises Refused for a text that is too long."""
        if len(text) > cls.longest:
            raise Refused(f"A {cls.word} is at most {cls.longest:,} characters; this one has {len(text):,}.")

    @property
    def mark(self) -> str:
        return mark_of(self.text)


class VersionedText(NamedText):
    """A text of which every save is kept as a version (`versions`)."""

    created = models.DateTimeField(auto_now_add=True)
    versions: Any

    class Meta(NamedText.Meta):
        abstract = True

    def add_version(self) -> None:
        """Keeps the text as it is as the next version."""
        latest = self.versions.last()
        self.versions.create(number=latest.number + 1 if latest else 1, name=self.name, text=self.text)

    def reword_latest(self) -> None:
        """Makes the latest version say what the text says now, where only words changed and not what it means."""
        latest = self.versions.last()
        if latest:
            latest.name, latest.text = self.name, self.text
            latest.save(update_fields=["name", "text"])

    def version_of(self, text: str) -> int | None:
        """The number of the latest version that reads so, None for a text that is not saved."""
        version = self.versions.filter(text=text).last()
        return version.number if version else None


class Version(models.Model):
    """What a save kept. Versions count from 1."""

    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    text = models.TextField()
    saved = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True
        ordering = ["number"]


class Tried(models.Model):
    """One setting that was measured."""

    digest = models.CharField(max_length=32)
    data_version = models.CharField(max_length=20)
    version = models.PositiveIntegerField(null=True, blank=True)
    label = models.CharField(max_length=200)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True
        ordering = ["id"]

    def __str__(self) -> str:
        return self.label


class SealBroken(models.Model):
    """The one act by which sealed days were opened, with the version it was done for."""

    version = models.PositiveIntegerField()
    sealed_from = models.DateField()
    broken = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True


def mark_of(text: str) -> str:
    """A short mark of a text, by which a browser says what it has seen of it."""
    return hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()
