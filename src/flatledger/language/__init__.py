"""The text of a path (RFC 9535) or an expression (ISO 9075) as a small tree of typed nodes."""

from .parser import parse_expression, parse_sort_key, plain_path

__all__ = ["parse_expression", "parse_sort_key", "plain_path"]
