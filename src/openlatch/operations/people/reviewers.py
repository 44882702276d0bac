"""Who of a workspace can be asked to decide, or to see to something."""

from __future__ import annotations

from openlatch.core.model import Person
from openlatch.errors import Invalid
from openlatch.operations.call import Call
from openlatch.words import Role

__all__ = ["REVIEWING", "who_answers"]

REVIEWING = (Role.OWNER, Role.MANAGER, Role.REVIEWER)
"""The roles that can be asked something in a review."""


def who_answers(call: Call, text: str) -> Person:
    """Return whoever of the workspace has an address, or alone has a name, and can be asked; else raises Invalid."""
    wanted = text.strip().lower()
    people = [person for person in call.tx.people.able() if person.role in REVIEWING]
    persons = [person for person in people if wanted == person.address] or [
        person for person in people if wanted == person.name.lower()
    ]
    if len(persons) == 1:
        return persons[0]
    one_of = ", ".join(sorted(person.address for person in persons or people))
    if persons:
        raise Invalid(
            f"“{text}” is the name of {len(persons)} people here. Nothing was changed.",
            next_step=f"Name one by address: {one_of}",
            errors=[{"at": "to", "problem": "the name of several"}],
        )
    raise Invalid(
        f"“{text}” cannot be asked here. Nothing was changed.",
        next_step=f"Name one of: {one_of}",
        errors=[{"at": "to", "problem": "not known"}],
    )
