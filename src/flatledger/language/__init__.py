"""The text of a path (RFC 9535) or an expression (ISO 9075) as a small tree of typed nodes."""

from .parser import parse_expression, parse_path, parse_sort_key, plain_path
from .selecting import StandardPath

__all__ = ["StandardPath", "parse_expression", "parse_path", "parse_sort_key", "plain_path"]
