"""``python -m flatledger``."""

from .cli import main

main()
