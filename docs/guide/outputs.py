#!/usr/bin/env python3
"""Writes what the tool prints into the pages that show it, and the reference: run it after an output has changed.

A page says `<!-- run: WORDS -->`; `{r}` is the demo. Blanks around an operator within a word are
written as `_`."""
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
    words = [re.sub(r"_(in|=|<=|>=|[+]-)_", r" \1 ", word) for word in match[1].replace("{r}", "demo/weir-nine").split()]
    return f"<!-- run: {match[1]} -->\n```\n{said(words)}\n```\n<!-- end -->"


for name in ["keys", "effects", "events", "functions", "measures"]:
    (root / f"docs/guide/reference/{name}.md").write_text(said(["reference", name]) + "\n")

for page in sorted((root / "docs/guide").glob("*.md")):
    text = page.read_text()
    new = re.sub(r"<!-- run: (.*?) -->\n.*?<!-- end -->", run, text, flags=re.S)
    if new != text:
        page.write_text(new)
        print(page.relative_to(root))
