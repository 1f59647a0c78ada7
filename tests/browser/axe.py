"""What axe-core finds on a page (WCAG 2.2 AA and best practice).

Rules: https://www.w3.org/TR/WCAG22/, as axe-core tests them.
"""

from __future__ import annotations

from pathlib import Path

from tests.browser.pages import settled

AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


def violations(page) -> list[str]:
    """What axe-core finds on the page, one line an element; what is found while an answer comes in is looked at again."""
    found = looked_at(page)
    if found:
        settled(page)
        found = looked_at(page)
    return found


def looked_at(page) -> list[str]:
    """What axe-core finds on the page as it is now."""
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE.read_text())
    # Colours on their way from one theme to the other are nobody's colours.
    page.wait_for_function("document.getAnimations().every((a) => a.playState !== 'running')")
    # Only what is wrong is handed over: all that is right is a megabyte.
    found = page.evaluate(
        """async (tags) => {
          const how = { runOnly: { type: "tag", values: tags }, resultTypes: ["violations"] };
          const { violations } = await axe.run(document, how);
          return violations.flatMap(({ id, impact, nodes }) =>
            nodes.map((node) => `${id} (${impact}): ${node.target} ${node.html.slice(0, 160)}`));
        }""",
        TAGS,
    )
    return list(found)
