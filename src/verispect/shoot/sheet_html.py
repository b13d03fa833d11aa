"""The field sheet as one self-contained page for a phone: offline, ticks stay, text is text and never markup."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from verispect.plan.explain.frame_table import FrameRow, Quantity, frame_rows, shown_columns, shutter_words
from verispect.plan.explain.work_order import cautions, steps
from verispect.plan.methods.candidate import Candidate
from verispect.shoot.checks import checks
from verispect.shoot.light import light_at

_PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{ title }}</title>
<style>
:root { color-scheme: light dark; --ink: #1c1c1c; --faint: #5a5a5a; --line: #c4c4c4; --ground: #f6f6f6; }
@media (prefers-color-scheme: dark) { :root { --ink: #e8e4dc; --faint: #a8a39a; --line: #4a4742; --ground: #201e1b; } }
body { font: 16px/1.45 system-ui, sans-serif; margin: 0 auto; max-width: 46rem; padding: 1rem; color: var(--ink);
  background: var(--ground); font-variant-numeric: tabular-nums; overflow-wrap: anywhere; }
h1 { font-size: 1.35rem; margin: 0 0 .3rem } h2 { font-size: 1.05rem; margin: 1.6rem 0 .4rem }
p { margin: .25rem 0 } .faint { color: var(--faint) }
label { display: flex; gap: .7rem; align-items: flex-start; padding: .55rem 0; min-height: 44px; box-sizing: border-box }
input[type=checkbox] { width: 24px; height: 24px; flex: none; margin: 0 }
.scroll { overflow-x: auto } table { border-collapse: collapse; width: 100% }
th, td { text-align: right; padding: .5rem .45rem; border-bottom: 1px solid var(--line); white-space: nowrap }
th:first-child, td:first-child { text-align: left } textarea { width: 100%; min-height: 6rem; box-sizing: border-box;
  font: inherit; color: inherit; background: transparent; border: 1px solid var(--line) }
svg { max-width: 100%; height: auto; background: #fff } @media print { textarea { min-height: 9rem } }
</style></head><body data-key="{{ key }}">
<h1>{{ title }}</h1>
<p>{{ method }} · {{ count }} · {{ lens }} · about {{ minutes }} min on site</p>
{% if light %}<p class="faint">{{ light }}</p>{% endif %}
{% for note in notes %}<p class="faint">{{ note }}.</p>{% endfor %}
{% for drawing in drawings %}<figure>{{ drawing|safe }}</figure>{% endfor %}
<h2>Before the first frame</h2>
{% for line in checks %}<label><input type="checkbox" data-tick="c{{ loop.index }}"><span>{{ line }}</span></label>{% endfor %}
<h2>Order of work</h2>
{% for line in steps %}<label><input type="checkbox" data-tick="s{{ loop.index }}"><span>{{ line }}</span></label>{% endfor %}
<h2>Frames</h2>
<div class="scroll"><table><thead><tr>{% for head in heads %}<th>{{ head }}</th>{% endfor %}</tr></thead><tbody>
{% for row in rows %}<tr>{% for cell in row %}<td>{% if loop.first %}<label style="padding:0;min-height:36px">
<input type="checkbox" data-tick="f{{ loop.index }}-{{ cell }}"><span>{{ cell }}</span></label>{% else %}{{ cell }}{% endif %}</td>
{% endfor %}</tr>{% endfor %}</tbody></table></div>
<h2>What really happened</h2>
<textarea data-tick="notes" aria-label="What really happened"></textarea>
<h2>Kit</h2>{% for line in kit %}<p>{{ line }}</p>{% endfor %}
<h2>Cautions</h2>{% for line in cautions %}<p>{{ line }}.</p>{% endfor %}
<script>
const key = "verispect-sheet-" + document.body.dataset.key;
let kept = {};
try { kept = JSON.parse(localStorage.getItem(key) || "{}") } catch (error) { kept = {} }
for (const field of document.querySelectorAll("[data-tick]")) {
  const name = field.dataset.tick;
  if (field.type === "checkbox") field.checked = Boolean(kept[name]); else field.value = kept[name] || "";
  field.addEventListener("input", () => {
    kept[name] = field.type === "checkbox" ? field.checked : field.value;
    try { localStorage.setItem(key, JSON.stringify(kept)) } catch (error) { /* private windows keep nothing */ }
  });
}
</script></body></html>
"""


def sheet_html(candidate: Candidate, *, drawings: Sequence[str] = ()) -> str:
    """The page of one method; `drawings` are SVG made by this program."""
    from jinja2 import Environment

    plan = candidate.scene.plan
    columns = shown_columns(candidate)
    rows = frame_rows(candidate)
    first = rows[0]
    frames = "1 frame" if candidate.frame_count == 1 else f"{candidate.frame_count} frames"
    title = plan.title or "Untitled plan"
    page = Environment(autoescape=True, trim_blocks=True).from_string(_PAGE)
    return page.render(
        title=title,
        key=hashlib.sha256(f"{title}{candidate.key}{rows}".encode()).hexdigest()[:16],
        method=candidate.method.name,
        count=frames,
        lens=f"{first.lens} at {first.focal_mm:.4g} mm, f/{first.stop}",
        minutes=f"{max(candidate.time_on_site_s / 60.0, 1.0):.0f}",
        light=_light_line(candidate),
        notes=[str(note) for note in candidate.notes],
        drawings=list(drawings),
        checks=[f"{line}." for line in map(str, checks(candidate))],
        steps=[f"{line}." for line in map(str, steps(candidate))],
        heads=[str(column.title) for column in columns],
        rows=[[cell_text(row, column.key, column.quantity) for column in columns] for row in rows],
        kit=_kit_lines(candidate),
        cautions=[str(line) for line in cautions()],
    )


def _light_line(candidate: Candidate) -> str:
    site = candidate.scene.plan.site
    if site is None or site.from_ is None:
        return ""
    row = light_at(site, site.from_)
    return (
        f"{row.utc}: Sun {row.sun_altitude_deg:.1f}° high at {row.sun_azimuth_deg:.0f}°, {row.lux:.3g} lx, "
        f"light changes by {60 * row.drift_stops_per_min:+.1f} stops an hour"
    )


def _kit_lines(candidate: Candidate) -> list[str]:
    kit = candidate.scene.plan.kit
    found = [kit.body.name or "Body", *sorted({exposure.lens.name for exposure in candidate.exposures}), "Tripod"]
    if candidate.method.turns:
        found.append("Head that turns about the entrance pupil")
    if candidate.method.on_rail:
        found.append("Focusing rail")
    found += ["Cable or remote", "Cloth for the dark frame"]
    return found


def cell_text(row: FrameRow, key: str, quantity: Quantity) -> str:
    """One cell, metric."""
    value = getattr(row, key)
    if quantity is Quantity.ANGLE:
        digits = row.tilt_digits if key in ("tilt_deg", "swing_deg") else 1
        rounded = round(value, digits)
        return f"{rounded:+.{digits}f}°" if rounded else f"{0.0:.{digits}f}°"
    if quantity is Quantity.MOVEMENT:
        return f"{value:+.1f} mm" if round(value, 1) else "0.0 mm"
    if quantity is Quantity.TRAVEL:
        return f"{value:.3f} mm"
    if quantity is Quantity.DISTANCE:
        return "∞" if value == float("inf") else f"{value * 1000:.0f} mm" if value < 0.5 else f"{value:.2f} m"
    if quantity is Quantity.STOP:
        return f"f/{value}"
    return shutter_words(value) if quantity is Quantity.TIME else str(value)
