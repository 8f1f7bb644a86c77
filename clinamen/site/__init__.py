"""The Django project: settings, addresses, the frame of every page."""
