"""Small stand-ins for what Clinamen hands over to: they ship with it and know only the files it writes."""
