"""`kardo-admin`: what whoever keeps an installation does from its command line."""

import os
import sys

COMMANDS = ("organisation", "member", "migrate", "check")


def main() -> int:
    """One of the commands, with its own words."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")
    from django.core.management import execute_from_command_line

    if len(sys.argv) < 2 or sys.argv[1] not in COMMANDS:
        print(f"kardo-admin {'|'.join(COMMANDS)} …; each says more with --help", file=sys.stderr)
        return 2
    execute_from_command_line(["kardo-admin", *sys.argv[1:]])
    return 0
