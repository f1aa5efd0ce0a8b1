"""`python -m bench`: the same as `grevin bench`."""

import sys

from grevin.cli.main import main

if __name__ == "__main__":
    main(["bench", *sys.argv[1:]])
