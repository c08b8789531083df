"""``flatledger check``: a layout, without data."""

from __future__ import annotations

from ..api.layout import Layout
from ..reports.words import counted
from .asking import answers_for
from .terminal import results


def run_check(name: str) -> int:
    """Read a layout, whose faults are errors, and say what it has."""
    layout = Layout.find(name)
    out = results()
    if layout.tables:
        about = f"{layout.name}: {layout.about}" if layout.about else layout.name
        out.line(about, "bold")
        out.line(f"{counted(len(layout.tables), 'table')} from one reading")
    for one in layout.of_tables():
        _print_table(one)
    asked = [
        f"{one.name}" + (f" ({one.says})" if one.says else "") for one in layout.shared.questions
    ]
    if asked:
        out.line(f"Asks for: {', '.join(asked)}")
    files = [str(path) for path in layout.taking_part() if path.exists() and path != layout.path]
    if files:
        out.line(f"Reads beside the source: {', '.join(files)}")
    said = "No faults. What depends on the data is shown by `flatledger preview`."
    out.verdict(said, "well")
    return 0


def _print_table(layout: Layout) -> None:
    """Say what a table has."""
    request, out = layout.request, results()
    columns = counted(len(layout.headings), "column")
    conditions = counted(len(request.conditions), "condition")
    out.line(f"{layout.name}: {request.about}" if request.about else layout.name, "bold")
    out.line(f"{columns}: {', '.join(layout.headings)}")
    out.line(conditions)
    out.lines([f"  {' '.join(one.value.text.split())}" for one in request.conditions])


def run_code(name: str, source: str) -> int:
    """Show the code that a layout is made into for a source."""
    from ..api.code import generated_code

    layout = Layout.find(name)
    answers = answers_for(layout.shared.questions, (), None, source)
    for one in layout.of_tables():
        results().lines([f"# ---- the table {one.name}"] if layout.tables else [])
        results().lines(generated_code(one, source, ask=answers).splitlines())
    return 0
