"""The demo signs its visitor in, and only a visitor on this very machine."""

import ipaddress

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest

DRESSER = "wren.ashby"


def is_loopback(request: HttpRequest) -> bool:
    """Whether the connection itself comes from this machine; forwarding headers are not believed."""
    try:
        return ipaddress.ip_address(request.META.get("REMOTE_ADDR", "")).is_loopback
    except ValueError:
        return False


def sign_in_demo(request: HttpRequest) -> AbstractBaseUser | None:
    """Sign the demo's dresser in when this is the demo and the visitor is local; else None."""
    if not settings.DEMO or not is_loopback(request) or request.headers.get("X-Forwarded-For"):
        return None
    user = get_user_model().objects.filter(username=DRESSER, is_active=True).first()
    if user is not None:
        login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return user
