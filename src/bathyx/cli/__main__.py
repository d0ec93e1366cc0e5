"""`python -m bathyx.cli` is `bathyx`."""

import sys

from bathyx.cli.main import main

sys.exit(main())
