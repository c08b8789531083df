"""What callers use: a module for each verb. The files that a layout names are opened here."""
