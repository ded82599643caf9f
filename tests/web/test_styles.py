"""Sheets and templates as they are written: read without a fault, nothing in them for nobody."""

import re
from itertools import accumulate
from pathlib import Path

import tinycss2

WEB = Path(__file__).parents[2] / "openpail" / "web"
LONGEST = 160


def told(rules):
    """What each rule is for, those within a medium too. Fails where a sheet cannot be read."""
    for rule in rules:
        assert rule.type != "error", rule.message
        if rule.type == "qualified-rule":
            for part in tinycss2.parse_blocks_contents(rule.content):
                assert part.type != "error", (tinycss2.serialize(rule.prelude), part.message)
            yield tinycss2.serialize(rule.prelude)
        elif rule.type == "at-rule" and rule.lower_at_keyword in ("media", "supports"):
            yield from told(tinycss2.parse_rule_list(rule.content, True, True))


def test_every_sheet_is_read_and_every_class_of_it_is_worn():
    sheets = "\n".join(path.read_text() for path in sorted(WEB.glob("*/*.css")))
    classes = {
        name
        for rule in told(tinycss2.parse_stylesheet(sheets, True, True))
        for name in re.findall(r"\.([a-zA-Z][\w-]*)", rule)
    }
    pages = "\n".join(
        path.read_text()
        for kind in ("html", "js", "py")
        for path in WEB.rglob(f"*.{kind}")
        if "vendor" not in path.parts
    )

    def worn(name):
        """Written whole, or put together from its beginning."""
        begins = list(accumulate(f"{part}-" for part in name.split("-")))[:-1]
        put = "|".join(re.escape(each) + r"(?:\{|'|\")" for each in begins)
        whole = rf"(?<![\w-]){re.escape(name)}(?![\w-])"
        return re.search(f"{whole}|{put}" if put else whole, pages)

    assert len(classes) > 500 and [name for name in sorted(classes) if not worn(name)] == []


def test_no_line_of_a_template_is_too_long_to_read():
    lines = [
        (path.name, number)
        for path in WEB.rglob("*.html")
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > LONGEST
    ]
    assert lines == []
