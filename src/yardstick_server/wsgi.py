"""The API and the built web interface, for gunicorn."""

import os
import sys

from django.core.wsgi import get_wsgi_application

from yardstick_server.body_timeout import BodyTimeoutMiddleware

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yardstick_server.settings")
application = BodyTimeoutMiddleware(get_wsgi_application())

# Threads that wait for the database mostly wait for one another else.
sys.setswitchinterval(0.0005)
