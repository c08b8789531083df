"""Pages: one HTML file each, with everything in it."""

from __future__ import annotations

from functools import cache
from typing import Any

from ..values.visible import visible


def render(template: str, **values: Any) -> str:
    """Fill a template; every text is escaped."""
    return str(_environment().get_template(template).render(**values))


@cache
def _environment() -> Any:
    import jinja2

    return jinja2.Environment(
        loader=jinja2.PackageLoader("flatledger.reports"),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        undefined=jinja2.StrictUndefined,
        finalize=_shown,
    )


def _shown(value: Any) -> Any:
    """What a page says, but for what was rendered already; texts steer nothing there either."""
    return visible(value) if value.__class__ is str else value
