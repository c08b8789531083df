"""Single values: numbers, texts, dates and times; functions and aggregates of them."""
