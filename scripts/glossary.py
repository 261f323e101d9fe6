"""Write docs/glossary.md from the glossary itself. Run it after a word is added or changed."""

from pathlib import Path

from kardo.core.practice.glossary import GLOSSARY

PAGE = Path(__file__).parent.parent / "docs" / "glossary.md"
HEAD = """# Glossary

The words of the trade as Kardo uses them, the international one first. Made by `python -m scripts.glossary`; the hints on the screen and the report's
last page are made of the same entries.

| word | also | meaning | source |
|---|---|---|---|
"""


def page() -> str:
    """The page, one line a word."""
    return HEAD + "".join(f"| {e.term} | {e.also or '–'} | {e.says} | {e.source} |\n" for e in GLOSSARY)


if __name__ == "__main__":
    PAGE.write_text(page())
