"""Lists that people keep, as the client gives them."""

from __future__ import annotations

from collections.abc import Iterator

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["ImportsCalls"]


def _over(an_import: wire.Import) -> bool:
    return an_import.finished_at is not None


class ImportsCalls(Transport):
    """Lists that people keep."""

    def import_template(self, file_format: str = "xlsx", separator: str = "comma") -> bytes:
        """Return an empty list with the columns that an import takes, as `csv` or `xlsx`."""
        return b"".join(self._pieces("/imports/template", params={"format": file_format, "separator": separator}))

    def preview_import(
        self, provider: str, content: bytes, file_format: str = "csv", *, form: wire.ImportForm | None = None
    ) -> wire.ImportOutcome:
        """Return what a list (`csv`, `xlsx`, `jsonl`) says, how it is taken, and what it would change; changes nothing.

        Without a form it is taken as the last list with these columns was, or as it seems.
        """
        return self._upload(f"/providers/{part(provider)}/import-preview", content, file_format, form, "")

    def start_import(
        self,
        provider: str,
        content: bytes,
        file_format: str = "csv",
        *,
        form: wire.ImportForm | None = None,
        name: str = "",
    ) -> wire.ImportOutcome:
        """Have a list of entries taken in that no reading shows: all of it, or with a complaint nothing.

        `made` is the import that was begun, None where there are complaints.
        """
        return self._upload(f"/providers/{part(provider)}/imports", content, file_format, form, name)

    def import_list(
        self,
        provider: str,
        content: bytes,
        file_format: str = "csv",
        *,
        form: wire.ImportForm | None = None,
        name: str = "",
    ) -> wire.ImportOutcome:
        """Take a list in, and wait until it is; `counts` say what it brought, and `made` how it ended."""
        outcome = self.start_import(provider, content, file_format, form=form, name=name)
        if outcome.made is None:
            return outcome
        made = list(self.follow_import(outcome.made.ref))[-1]
        return outcome.model_copy(update={"made": made, "counts": made.counts})

    def list_import(self, text: str) -> wire.Import:
        """Return one import, by id or short form: how far it is, and what it brought."""
        return self._send(wire.Import, "GET", f"/imports/{part(text)}")

    def list_imports(self, provider: str) -> Iterator[wire.Import]:
        """Return the imports of a provider, the latest first."""
        return self._pages(wire.ImportList, f"/providers/{part(provider)}/imports", {})

    def follow_import(self, text: str, *, every: float = 0.3, within: float | None = None) -> Iterator[wire.Import]:
        """Yield an import whenever it has got further, until it is done or failed."""
        return self._follow(lambda: self.list_import(text), _over, every, within)

    def _upload(
        self, path: str, content: bytes, file_format: str, form: wire.ImportForm | None, name: str
    ) -> wire.ImportOutcome:
        wanted = {"form": form.model_dump_json(exclude_none=True) if form else "", "name": name}
        headers = {"Content-Type": wire.LISTS[file_format]}
        return self._send(wire.ImportOutcome, "POST", path, params=wanted, content=content, headers=headers)
