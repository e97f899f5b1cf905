"""The application as a server calls it."""

import os

from django.core.wsgi import get_wsgi_application

from .turns import InTurn
from .whole_requests import WholeRequests

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vivid_cairn.settings")
application = WholeRequests(InTurn(get_wsgi_application()))
