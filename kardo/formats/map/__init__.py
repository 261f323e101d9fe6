"""Files of maps: a module a format, each with what it reads and writes, in one registry."""
