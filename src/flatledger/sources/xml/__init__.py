"""XML: elements as records."""
