"""Writing the functions of a run: the loops over records and their entries."""
