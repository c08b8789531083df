"""A plan turned into generated functions, and the runtime that these call."""
