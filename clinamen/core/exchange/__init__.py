"""One module a format, each with read or write, none knowing another; `opening` finds the right one for a path."""
