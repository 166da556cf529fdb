"""The demo signs its visitor in: only where this is the demo, on this very machine, with no proxy in between."""

import ipaddress

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from django.http.request import split_domain_port

DRESSER = "wren.ashby"
PROXIED = ("Forwarded", "Via", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-IP")
"""Headers that proxies add. A visitor who adds one is not signed in either, and that is all."""


def is_loopback(address: str) -> bool:
    """Whether an address, or a name in a Host header, is of this machine."""
    name = address.strip("[]")
    try:
        return name == "localhost" or ipaddress.ip_address(name).is_loopback
    except ValueError:
        return False


def is_local(request: HttpRequest) -> bool:
    """Whether a browser on this machine asks, by a name of this machine, with nothing in between."""
    domain, _ = split_domain_port(request.get_host())
    here = is_loopback(request.META.get("REMOTE_ADDR", "")) and is_loopback(domain)
    return here and not settings.BEHIND_PROXY and not any(name in request.headers for name in PROXIED)


def sign_in_demo(request: HttpRequest) -> AbstractBaseUser | None:
    """Sign the demo's dresser in when this is the demo and the visitor is local; else None."""
    if not settings.DEMO or not is_local(request):
        return None
    user = get_user_model().objects.filter(username=DRESSER, is_active=True).first()
    if user is not None:
        login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return user
