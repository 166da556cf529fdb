"""What is kept of an account beside its name and password."""

import hashlib
import secrets

from django.contrib.auth.models import User
from django.db import models, transaction


class AccessToken(models.Model):
    """What a pipeline shows in the place of a name and a password. One a user. Only its digest is kept: the token itself is shown once, when it is made."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="access_token")
    digest = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"token of {self.user.get_username()}"

    @classmethod
    def make(cls, user: User) -> str:
        """A new token for a user; the one before it is no longer good."""
        token = secrets.token_urlsafe(32)
        with transaction.atomic():
            cls.objects.filter(user=user).delete()
            cls.objects.create(user=user, digest=digest_of(token))
        return token

    @classmethod
    def user_of(cls, token: str) -> User | None:
        """Whose token it is; None where it is nobody's, or the user may not sign in."""
        found = cls.objects.select_related("user").filter(digest=digest_of(token), user__is_active=True).first()
        return found.user if found is not None else None


class ChosenKeys(models.Model):
    """Keys that a user has chosen for commands of the stage. ``keys``: by the name of the command, as the page writes them."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="chosen_keys")
    keys = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"keys of {self.user.get_username()}"


def digest_of(token: str) -> str:
    """What is kept of a token. It is long and by chance, so that one round of a plain digest is enough."""
    return hashlib.sha256(token.encode()).hexdigest()
