"""What callers use: a module for each verb. The files that a layout names are opened here."""

from ..language.parser import keep_grammars_in
from .parsed_before import KeptGrammars

keep_grammars_in(KeptGrammars())
