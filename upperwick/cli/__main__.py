"""`python -m upperwick.cli`."""

import sys

from upperwick.cli.main import main

sys.exit(main())
