"""How Sphinx makes the pages of the documentation; make.py beside it calls it."""

from pygments.lexers.special import TextLexer
from sphinx.application import Sphinx

from openlatch import __version__

project = "Open Latch"
release = __version__
extensions = ["myst_parser"]
myst_enable_extensions = ["attrs_block", "attrs_inline"]
myst_heading_anchors = 4
html_theme = "paper"
html_theme_path = ["."]
html_title = "Open Latch"
html_copy_source = False
html_show_sourcelink = False
html_show_sphinx = False
html_use_index = False
html_permalinks = False


def setup(app: Sphinx) -> None:
    """Show the source of diagrams as text: nothing is drawn in the browser by a program of others."""
    app.add_lexer("mermaid", TextLexer)
