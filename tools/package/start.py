"""Where the packed program begins."""

import sys

from gelande import bundle

if __name__ == "__main__":
    bundle.ready()
    from gelande.cli.main import main

    sys.exit(main())
