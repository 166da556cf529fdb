"""The API: its schema is published at /api/openapi.json, and the front end's types are made from it."""

from brickseat.api.routes import api

__all__ = ["api"]
