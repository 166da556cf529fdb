"""HTTP to Django, WebSockets to the live session of a set. The host, of a request its size, and of a WebSocket the origin are checked
before anything else."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brickseat.settings")
django_application = get_asgi_application()

from channels.auth import AuthMiddlewareStack
from channels.routing import ProtocolTypeRouter, URLRouter
from django.urls import path

from brickseat.admission import Admission
from brickseat.headers import SafeHeaders
from brickseat.hosts import KnownHosts
from brickseat.live.consumer import SetConsumer
from brickseat.live.origin import SameOrigin

sockets = URLRouter([path("ws/sets/<uuid:key>", SetConsumer.as_asgi())])
application = SafeHeaders(
    KnownHosts(
        ProtocolTypeRouter(
            {
                "http": Admission(django_application),
                "websocket": SameOrigin(AuthMiddlewareStack(sockets)),
            }
        )
    )
)
