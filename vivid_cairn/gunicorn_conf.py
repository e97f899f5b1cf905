"""How the application is served: ``gunicorn vivid_cairn.wsgi -c vivid_cairn/gunicorn_conf.py --bind …``."""

import os

workers = int(os.environ.get("CAIRN_WORKERS", "2"))
worker_class = "gevent"
worker_connections = 400
keepalive = 5
"""Seconds for the head of a request to come, and for a connection to lie idle."""
loglevel = "warning"
