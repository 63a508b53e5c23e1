"""The WSGI entry point."""

import os

from django.core.wsgi import get_wsgi_application

from brisk_core import sandbox

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brisk_web.config.settings")
application = get_wsgi_application()
# In the process that the web's own are forked from, which share its server: the first picture is there at once.
sandbox.warm()
