"""A layout with what the files hold that it names: lists, side lists, a published form."""

from __future__ import annotations

import msgspec

from ...errors import LayoutError, Problem, ShelfError
from ...language import nodes as n
from ..model.model import LayoutParts, LayoutRequest, Lookup, NamedList
from ..model.tree_options import OpensBy
from .expressions import expressions_of
from .files import Files


def with_files(request: LayoutRequest, files: Files) -> LayoutRequest:
    """The layout with its lists, the paths of its side lists, and its form.

    Raises LayoutError.
    """
    lookups, opens_by = _with_paths(request, files), _definitions(request, files)
    form = request.form
    reference = request.fit_to
    if reference is not None:
        try:
            form = files.form(reference)
        except LayoutError as error:
            problem = Problem(f"`fit-to`: {error}", *reference.place)
            raise LayoutError(request.name, [problem]) from None
    lists = lists_of(request, files)
    return msgspec.structs.replace(
        request, lookups=lookups, opens_by=opens_by, form=form, lists=lists
    )


def _definitions(request: LayoutRequest, files: Files) -> OpensBy | None:
    """`opens-by` with the path of its definitions."""
    one = request.opens_by
    if one is None or not one.file:
        return one
    try:
        return msgspec.structs.replace(one, file=files.lookup(one.file))
    except LayoutError as error:
        raise LayoutError(request.name, [Problem(f"`opens-by`: {error}", *one.place)]) from None


def _with_paths(request: LayoutRequest, files: Files) -> tuple[Lookup, ...]:
    found, problems = [], []
    for one in request.lookups:
        try:
            found.append(msgspec.structs.replace(one, file=files.lookup(one.file)))
        except LayoutError as error:
            problems.append(Problem(f"`lookup` of `{one.name}`: {error}", *one.place))
    if problems:
        raise LayoutError(request.name, problems)
    return tuple(found)


def lists_of(layout: LayoutParts, files: Files) -> tuple[NamedList, ...]:
    """The lists that a layout's expressions look up. Raises LayoutError for those not found."""
    found: dict[tuple[str, str | None], NamedList] = {}
    problems = []
    for expression in expressions_of(layout):
        for node in expression.node.walk():
            asked = isinstance(node, n.InList) and isinstance(node.source, n.Asked)
            if not isinstance(node, n.InList) or asked or (node.name, node.heading) in found:
                continue
            try:
                values = files.values(node.name, node.heading)
                found[node.name, node.heading] = NamedList(node.name, node.heading, values)
            except (LayoutError, ShelfError) as error:
                problems.append(expression.problem(str(error), node.position))
    if problems:
        raise LayoutError(layout.name, problems)
    return tuple(found.values())
