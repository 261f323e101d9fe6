"""Organisations and who belongs to them. Everything in Kardo belongs to one organisation."""

from django.conf import settings
from django.db import models
from django.utils.functional import cached_property

from kardo.core.parts import to_json, validated
from kardo.core.policy.organisation import WHERE, OrganisationRules, require_known
from kardo.core.policy.policy import Policy, catalogue, policy_of
from kardo.formats.documents import LARGER
from kardo.server.accounts.roles import Right, rights_of


class Organisation(models.Model):
    """A survey firm or department."""

    name = models.CharField(max_length=120, unique=True)
    rules = models.JSONField(default=dict, help_text="rules of practice that it asks otherwise")
    rules_revision = models.PositiveIntegerField(default=0)
    policy_keys = models.JSONField(default=dict, help_text="what computations of each kind depend on of its rules")
    paper = models.CharField(
        max_length=8, choices=[(name, f"{name} and {LARGER[name]}") for name in LARGER], default="A4"
    )

    def __str__(self) -> str:
        return self.name

    @property
    def own_rules(self) -> OrganisationRules:
        """The rules that it asks otherwise."""
        return validated(OrganisationRules, self.rules, WHERE) if self.rules else OrganisationRules()

    @cached_property
    def policy(self) -> Policy:
        """The rules as it asks them. One that a later Kardo no longer has is asked no more; it is not held against
        anybody."""
        return policy_of(self.own_rules)

    def ask(self, own: OrganisationRules) -> None:
        """Ask these rules from now on. Raises PlanError for what the catalogue has not."""
        require_known(own, catalogue())
        self.rules, self.rules_revision = to_json(own), self.rules_revision + 1
        self.policy_keys = policy_of(own).keys
        self.save(update_fields=["rules", "rules_revision", "policy_keys"])


class Member(models.Model):
    """A user's place in one organisation."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="member")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="members")
    roles = models.JSONField(default=list, help_text="what this person may do (accounts/roles.py)")

    def __str__(self) -> str:
        return f"{self.user} of {self.organisation}"

    def may(self, right: Right) -> bool:
        """Whether this person may do what needs a right."""
        return right in rights_of(self.roles)


class SignInFailure(models.Model):
    """A sign-in that was refused: with which name, and from which address."""

    name = models.CharField(max_length=150)
    address = models.CharField(max_length=64)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [
            models.Index(fields=["name", "at"], name="sign_in_failure_name"),
            models.Index(fields=["address", "at"], name="sign_in_failure_address"),
        ]

    def __str__(self) -> str:
        return f"{self.name} from {self.address}"
