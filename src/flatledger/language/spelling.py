"""An expression as text again, from its nodes: for whoever shows a part of one."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from . import nodes as n


def spelled(node: n.Node) -> str:
    """The text of an expression, in one spelling; brackets stand round all that is calculated.

    >>> from flatledger.language import parse_expression
    >>> spelled(parse_expression("sum( lines.qty*2 )")), spelled(parse_expression("$['a b'][0].c"))
    ('sum(lines.qty * 2)', "['a b'][0].c")
    """
    match node:
        case n.Literal(value=value):
            return _literal(value)
        case n.FieldPath():
            return _path(node)
        case n.Heading(heading=heading):
            return f'"{heading}"'
        case n.Sign(operator=operator, operand=operand):
            return f"{operator}{_within(operand)}"
        case n.Arithmetic(operator=sign, left=left, right=right):
            return f"{_within(left)} {sign} {_within(right)}"
        case n.Comparison(operator=sign, left=left, right=right):
            return f"{_within(left)} {sign} {_within(right)}"
        case n.Concatenation(left=left, right=right):
            return f"{_within(left)} || {_within(right)}"
        case n.Call(name=name, arguments=arguments, distinct=distinct):
            word = "distinct " if distinct else ""
            return f"{name}({word}{', '.join(map(spelled, arguments))})"
        case n.Cast(operand=operand, type=kind):
            return f"cast({spelled(operand)} as {kind})"
        case n.Case(branches=branches, otherwise=otherwise):
            whens = " ".join(f"when {spelled(a)} then {spelled(b)}" for a, b in branches)
            other = f" else {spelled(otherwise)}" if otherwise is not None else ""
            return f"case {whens}{other} end"
    return _condition(node)


def _condition(node: n.Node) -> str:
    match node:
        case n.And(parts=parts):
            return " and ".join(map(_within, parts))
        case n.Or(parts=parts):
            return " or ".join(map(_within, parts))
        case n.Not(operand=operand):
            return f"not {_within(operand)}"
        case n.In(operand=operand, options=options, negated=negated):
            return f"{spelled(operand)} {_not(negated)}in ({', '.join(map(spelled, options))})"
        case n.Between(operand=operand, low=low, high=high, negated=negated):
            return f"{spelled(operand)} {_not(negated)}between {spelled(low)} and {spelled(high)}"
        case n.Like(operand=operand, pattern=pattern, regex=regex, negated=negated):
            word = "like_regex" if regex else "like"
            return f"{spelled(operand)} {_not(negated)}{word} {spelled(pattern)}"
        case n.IsTest(operand=operand, what=what, negated=negated):
            return f"{spelled(operand)} is {_not(negated)}{what}"
        case n.Collate(operand=operand, collation=collation):
            return f"{spelled(operand)} collate {collation}"
        case n.InPeriod(operand=operand, period=period, negated=negated):
            return f"{spelled(operand)} {_not(negated)}in period({spelled(period)})"
        case n.InList(operand=operand, name=name, negated=negated):
            return f"{spelled(operand)} {_not(negated)}in list({name})"
    return " ".join(map(spelled, node.children()))


def _not(negated: bool) -> str:
    return "not " if negated else ""


def _within(node: n.Node) -> str:
    simple = isinstance(node, n.Literal | n.FieldPath | n.Heading | n.Call | n.Cast)
    return spelled(node) if simple else f"({spelled(node)})"


def _literal(value: Any) -> str:
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    if isinstance(value, int | Decimal):
        return format(Decimal(value), "f")
    doubled = str(value).replace("'", "''")
    return f"'{doubled}'"


def _path(path: n.FieldPath) -> str:
    text = "".join(f"{'..' if one.descendant else ''}{_step(one)}" for one in path.segments)
    return text.removeprefix(".") or "$"


def _step(segment: n.Segment) -> str:
    only = segment.selectors[0]
    if len(segment.selectors) == 1 and isinstance(only, n.Name) and only.name.isidentifier():
        return only.name if segment.descendant else f".{only.name}"
    return f"[{', '.join(map(_selector, segment.selectors))}]"


def _selector(selector: n.Node) -> str:
    match selector:
        case n.Name(name=name):
            escaped = name.replace("\\", "\\\\").replace("'", "\\'")
            return f"'{escaped}'"
        case n.Index(index=index):
            return str(index)
        case n.Slice(start=start, stop=stop, step=step):
            parts = ("" if one is None else str(one) for one in (start, stop, step))
            return ":".join(parts).removesuffix(":")
        case n.Filter():
            return "?…"
    return "*"
