#!/usr/bin/env python3
"""Fills in what the tool says into the pages that show it: run it after an output has changed.

A page says `<!-- run: WORDS -->`; `{r}` is the demo. Blanks within a word are written as `_`."""
import pathlib
import re
import subprocess

root = pathlib.Path(__file__).resolve().parents[2]
tool = root / "target/release/edgeplane"


def said(words):
    done = subprocess.run([tool, *words], capture_output=True, text=True, cwd=root)
    if done.returncode not in (0, 1):
        raise SystemExit(f"{words}: {done.stderr}")
    return done.stdout.rstrip()


def run(match):
    words = [word.replace("_in_", " in ") for word in match[1].replace("{r}", "demo/weir-nine").split()]
    return f"<!-- run: {match[1]} -->\n```\n{said(words)}\n```\n<!-- end -->"


def measures(_):
    rows = said(["measures", "--format", "json"])
    import json

    table = ["| measure | what it is |", "|---|---|"]
    table += [f"| `{row['written']}` | {row['about']} |" for row in json.loads(rows)]
    return "<!-- measures -->\n" + "\n".join(table) + "\n<!-- end of measures -->"


for page in sorted((root / "docs/guide").glob("*.md")):
    text = page.read_text()
    new = re.sub(r"<!-- run: (.*?) -->\n.*?<!-- end -->", run, text, flags=re.S)
    new = re.sub(r"<!-- measures -->\n.*?<!-- end of measures -->", measures, new, flags=re.S)
    if new != text:
        page.write_text(new)
        print(page.relative_to(root))
