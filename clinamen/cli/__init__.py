"""The command line: thin, on the core alone; no database, no server."""
