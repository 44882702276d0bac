"""Make the pages of the documentation: python docs/site/make.py FOLDER.

They are the Markdown of docs, the reference of the API from its description, and that of the client from its code.
What is linked and is not there, or stands in no table of contents, is an error, and nothing is made.
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from sphinx.application import Sphinx
from sphinx.util.docutils import docutils_namespace

DOCS = Path(__file__).parents[1]
SITE = DOCS / "site"
FONTS = DOCS.parent / "console" / "node_modules" / "@fontsource-variable"
LETTERS = {
    "text": "atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "head": "newsreader/files/newsreader-latin-wght-normal.woff2",
    "code": "geist-mono/files/geist-mono-latin-wght-normal.woff2",
}
ICON = DOCS.parent / "console" / "public" / "latch.svg"
LEFT_OUT = shutil.ignore_patterns("man", "site", "__pycache__", "*.py")


def main(target: Path) -> int:
    """Make the pages in a folder, which is emptied first; return what Sphinx returns."""
    sys.path.insert(0, str(SITE))
    from pages import write  # noqa: PLC0415 - it lies beside this file, whatever the working directory is

    with TemporaryDirectory() as scratch:
        source, made = Path(scratch) / "docs", Path(scratch) / "made"
        shutil.copytree(DOCS, source, ignore=LEFT_OUT)
        write(source / "reference")
        with (source / "decisions" / "README.md").open("a", encoding="utf-8") as decisions:
            decisions.write("\n```{toctree}\n:hidden:\n:glob:\n\n0*\n```\n")
        letters = Path(scratch) / "letters"
        letters.mkdir()
        for name, font in LETTERS.items():
            shutil.copy(FONTS / font, letters / f"{name}.woff2")
        shutil.copy(ICON, letters)
        beside = {"html_static_path": [str(letters)]}
        with docutils_namespace():
            app = Sphinx(source, SITE, made, Path(scratch) / "read", "html", beside, None, warningiserror=True)
            app.build()
        if app.statuscode == 0:
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(made, target, ignore=shutil.ignore_patterns(".*", "_sources", "objects.inv", "basic.css"))
        return app.statuscode


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1])))
