"""Prints the API's OpenAPI document, from which the browser's types are generated."""

import json
import os
import sys
from pathlib import Path

import django

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")
django.setup()
from kardo.server.urls import api  # noqa: E402

print(json.dumps(api.get_openapi_schema(), indent=1))
