"""The texts of a layout, put together and checked: what was asked for, and what is settled."""
