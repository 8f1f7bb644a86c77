"""The application for a web server."""

import os

from django.core.wsgi import get_wsgi_application

from clinamen.site.staying import stay

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clinamen.site.settings")
application = get_wsgi_application()
stay()
