"""The API and the built web interface, for gunicorn."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yardstick_server.settings")
application = get_wsgi_application()
