"""`python -m easy_pocket.cli`."""

import sys

from easy_pocket.cli import main

sys.exit(main())
