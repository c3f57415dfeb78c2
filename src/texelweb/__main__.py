"""`python -m texelweb COMMAND` runs a management command."""

import os
import sys

from django.core.management import execute_from_command_line

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "texelweb.settings")
execute_from_command_line(sys.argv)
