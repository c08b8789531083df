"""A layout that was typed, settled by what is given: answers, keys, a form."""
