"""`python -m clinamen`."""

import sys

from clinamen.cli.main import main

sys.exit(main())
