"""A list as people read it: a table where the terminal has room for it, else each thing in some lines of its own."""

from __future__ import annotations

from collections.abc import Sequence

from rich.cells import cell_len
from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from openlatch.cli.columns import Column

__all__ = ["print_table"]

LEAST = 20
"""What can be folded is given so many letters in a line, if it has them."""
WHOLE = 16
"""What may be cut is cut to no fewer letters."""
Row = Sequence[Text | str]


def print_table(to: Console, columns: Sequence[Column], rows: Sequence[Row]) -> None:
    """Print rows under the headings of their columns, or one below the other where that would cut what has to be read.

    An address or a short form is never broken: whoever reads it has to see all of it.
    """
    natural = [max(cell_len(one.heading), *(_width(row[n]) for row in rows)) for n, one in enumerate(columns)]
    shares = _shares(columns, natural, to.width)
    if _squeezed(columns, natural, shares, to.width):
        _blocks(to, columns, rows)
        return
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim", show_edge=False)
    for column, share in zip(columns, shares, strict=True):
        folds = column.folds or column.whole
        table.add_column(column.heading, overflow="fold" if folds else "ellipsis", no_wrap=not folds, width=share)
    for row in rows:
        table.add_row(*row)
    to.print(table)


def _shares(columns: Sequence[Column], natural: Sequence[int], width: int) -> list[int]:
    """Return how wide each column is to be; if all together are too wide, the widest ones share what is left.

    What has to be read whole comes first, then the narrower columns; last what can be folded.
    """
    folds = [column.folds for column in columns]
    kept = [min(number, LEAST) if fold else 0 for number, fold in zip(natural, folds, strict=True)]
    left = width - 2 * (len(natural) - 1) - sum(kept)
    shares = [0] * len(natural)
    order = sorted(range(len(natural)), key=lambda n: (n > 0 and not columns[n].whole, folds[n], natural[n]))
    for done, place in enumerate(order):
        others = sum(not fold for fold in folds) - done if not folds[place] else len(natural) - done
        fair = kept[place] + left // max(others, 1)
        whole = place == 0 or columns[place].whole
        shares[place] = natural[place] if whole else max(min(natural[place], fair), 3)
        left -= shares[place] - kept[place]
    return shares


def _squeezed(columns: Sequence[Column], natural: Sequence[int], shares: Sequence[int], width: int) -> bool:
    """Whether a table so wide would cut what has to be read whole, such as a short form, a state or an address."""
    if sum(shares) + 2 * (len(shares) - 1) > width:
        return True
    for column, wanted, share in zip(columns, natural, shares, strict=True):
        kept = wanted if column.whole else min(wanted, LEAST if column.folds else WHOLE)
        if share < kept:
            return True
    return False


def _blocks(to: Console, columns: Sequence[Column], rows: Sequence[Row]) -> None:
    """Print each row as some lines: what is in front, then the rest."""
    for row in rows:
        cells = [(each_column, _on_one_line(cell)) for each_column, cell in zip(columns, row, strict=True)]
        head = [cell for one, cell in cells if not one.heading or one is columns[0] or one.leads]
        if len(head) == 1 and len(cells) > 1:
            head.append(cells[1][1])
        to.print(Text("  ").join(head))
        line = Text()
        for column, cell in cells:
            if not cell or any(cell is there for there in head):
                continue
            said = Text.assemble((f"{column.heading}: ", "dim"), cell)
            if line and (column.folds or cell_len(line.plain) + 3 + cell_len(said.plain) > to.width - 2):
                to.print(Padding(line, (0, 0, 0, 2), expand=False))
                line = Text()
            line = Text.assemble(line, "   ", said) if line else said
        if line:
            to.print(Padding(line, (0, 0, 0, 2), expand=False))


def _on_one_line(cell: Text | str) -> Text:
    text = cell if isinstance(cell, Text) else Text(cell)
    return Text(" · ").join(part for part in text.split("\n", allow_blank=False) if part.plain.strip())


def _width(cell: Text | str) -> int:
    return max((cell_len(line) for line in str(cell).split("\n")), default=0)
