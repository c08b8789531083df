"""What one does in a notebook: look at a source, draft a layout, try it, change it, and keep it."""

from __future__ import annotations

import flatledger

found = flatledger.survey("requisitions.jsonl")
assert found.field("lines").is_level
drafted = flatledger.draft("requisitions.jsonl")
layout = flatledger.Layout.from_text(drafted)
assert layout == flatledger.Layout.from_text(drafted)
look = flatledger.preview(layout, "requisitions.jsonl", rows=3)
assert len(look.first) == 3
changed = layout.with_changes({"only": ["carriage > 5"]})
assert changed != layout
values = flatledger.evaluate("sum(lines.qty * lines.unit_price)", "requisitions.jsonl", first=2)
print([str(one.value) for one in values], changed.headings[:3])
