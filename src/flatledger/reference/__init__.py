"""What a layout means, by definition: one record at a time, as the rules have it.

Nothing here is generated, nothing runs over batches, and nothing is taken from `compile/` or
`run/`: a walk over the nodes of each expression and the entries of each record, written to be read
beside `docs/rules.md`, each function naming its rule. From a plan it takes which places are levels
and trees, and what was stated; where a path is reached from, what an aggregate runs over and what a
value becomes it works out by itself. It is slow, and it is the specification: where it and the fast
way differ, one of them has a defect.
"""
