"""Organisations and who belongs to them. Everything in Kardo belongs to one organisation."""

from django.conf import settings
from django.db import models

from kardo.core.plan.parts import validated
from kardo.core.practice.house import House
from kardo.formats.documents import LARGER


class Organisation(models.Model):
    """A survey firm or department."""

    name = models.CharField(max_length=120, unique=True)
    house = models.JSONField(default=dict, help_text="rules of practice that it asks otherwise")
    house_revision = models.PositiveIntegerField(default=0)
    paper = models.CharField(
        max_length=8, choices=[(name, f"{name} and {LARGER[name]}") for name in LARGER], default="A4"
    )

    def __str__(self) -> str:
        return self.name

    @property
    def own_rules(self) -> House:
        """The rules that it asks otherwise. One that a later Kardo no longer has is asked no more; it is not held against anybody."""
        return validated(House, self.house, "house") if self.house else House()


class Member(models.Model):
    """A user's place in one organisation."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="member")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="members")
    may_sign = models.BooleanField(default=False, help_text="may sign reports, and open a signed job again")

    def __str__(self) -> str:
        return f"{self.user} of {self.organisation}"
