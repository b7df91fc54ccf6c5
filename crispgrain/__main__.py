"""``python -m crispgrain``."""

import sys

from crispgrain.cli.main import main

sys.exit(main())
