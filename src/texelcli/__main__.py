"""`python -m texelcli` is `fairtexel`."""

import sys

from texelcli.main import run

sys.exit(run())
