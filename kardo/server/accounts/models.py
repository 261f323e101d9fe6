"""Organisations and who belongs to them. Everything in Kardo belongs to one organisation."""

from django.conf import settings
from django.db import models


class Organisation(models.Model):
    """A survey firm or department."""

    name = models.CharField(max_length=120, unique=True)

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """A user's place in one organisation."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="member")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="members")
    may_sign = models.BooleanField(default=False, help_text="may sign reports, and open a signed job again")

    def __str__(self) -> str:
        return f"{self.user} of {self.organisation}"
