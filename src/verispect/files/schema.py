"""The published JSON Schema of a plan."""

from __future__ import annotations

from typing import Any

from verispect.plan.document import VERSION, Plan


def plan_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a `.verispect` file, from the models that read it."""
    schema = Plan.model_json_schema(by_alias=True)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = f"Verispect plan, version {VERSION}"
    schema["required"] = ["format", "version"]
    return schema
