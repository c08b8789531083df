"""Layout and structure in, a plan out: homes, kinds, steps."""
