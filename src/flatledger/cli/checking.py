"""``flatledger check``: a layout, without data."""

from __future__ import annotations

from ..api.layout import Layout
from ..reports.words import counted
from .asking import answers_for
from .terminal import results


def run_check(name: str) -> int:
    """Read a layout, whose faults are errors, and say what it has."""
    layout = Layout.find(name)
    request, out = layout.request, results()
    columns = counted(len(layout.headings), "column")
    conditions = counted(len(request.conditions), "condition")
    out.line(f"{layout.name}: {request.about}" if request.about else layout.name, "bold")
    out.line(f"{columns}: {', '.join(layout.headings)}")
    out.line(conditions)
    out.lines([f"  {' '.join(one.value.text.split())}" for one in request.conditions])
    asked = [f"{one.name}" + (f" ({one.says})" if one.says else "") for one in request.questions]
    if asked:
        out.line(f"Asks for: {', '.join(asked)}")
    files = [str(path) for path in layout.taking_part() if path.exists() and path != layout.path]
    if files:
        out.line(f"Reads beside the source: {', '.join(files)}")
    said = "No faults. What depends on the data is shown by `flatledger preview`."
    out.verdict(said, "well")
    return 0


def run_code(name: str, source: str) -> int:
    """Show the code that a layout is made into for a source."""
    from ..api.code import generated_code

    layout = Layout.find(name)
    answers = answers_for(layout.request.questions, (), None, source)
    results().lines(generated_code(layout, source, ask=answers).splitlines())
    return 0
