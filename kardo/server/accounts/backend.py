"""Who a request comes from, with the organisation, in one question to the database."""

from django.contrib.auth import get_user_model
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User


class WithOrganisation(ModelBackend):
    """Django's own check of name and password; a signed-in user comes with the organisation."""

    def get_user(self, user_id: int) -> User | None:
        user = get_user_model().objects.select_related("member__organisation").filter(pk=user_id).first()
        return user if user is not None and self.user_can_authenticate(user) else None
