"""python -m openlatch.cli is the same as the command openlatch."""

from openlatch.cli import main

main()
