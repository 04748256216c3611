"""``python -m zesty_abacus`` is the command itself."""

from .cli.main import main

main()
