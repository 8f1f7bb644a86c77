"""Sets Django up for a bench, on import."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clinamen.site.settings")
django.setup()
