"""Writes docs/schema anew from the models."""

from __future__ import annotations

import json
from pathlib import Path

from verispect.files.schema import plan_schema
from verispect.plan.document import VERSION

OUT = Path(__file__).parent.parent / "docs" / "schema" / f"plan-{VERSION}.schema.json"

if __name__ == "__main__":
    OUT.parent.mkdir(parents=True, exist_ok=True)
    OUT.write_text(json.dumps(plan_schema(), ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
