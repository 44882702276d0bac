"""The file that describes a provider: what is wrong in it is told with its line, and any text is read or refused."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors.description import Read, line_of, read
from openlatch.errors import Invalid

FOLDER = Path(__file__).parents[2] / "docs" / "described"
EXAMPLES = sorted(FOLDER.glob("*.toml"))


def mistakes(text: str) -> list[dict[str, str]]:
    try:
        assert isinstance(read(text), Read)
    except Invalid as error:
        return list(error.fields["errors"])
    return []


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_each_example_is_read_and_each_misspelt_name_in_it_is_told_by_its_line(path: Path) -> None:
    text = path.read_text("utf-8")
    assert mistakes(text) == []
    rows = text.splitlines()
    table = ""
    for number, row in enumerate(rows, 1):
        if row.startswith("["):
            table = row
        name, found, _ = row.partition(" = ")
        if not found or row.startswith("#") or table == "[levels]":
            continue
        wrong = "\n".join([*rows[: number - 1], row.replace(name, f"{name}x", 1), *rows[number:]])
        told = mistakes(wrong)
        assert any(f"line {number}" == one["at"] and "not known" in one["problem"] for one in told), (number, told)
        hints = [one["hint"] for one in told if "not known" in one["problem"]]
        assert any(name.strip('"') in hint for hint in hints), (name, hints)


@pytest.mark.parametrize(
    ("before", "after", "said"),
    [
        ('items = "$.data[*]"', 'items = "$.data["', "is no path"),
        ('items = "$.data[*]"', 'items = "$.data.*"', "members of an object"),
        ('items = "$.data[*]"', 'items = "$.data[*]"\nname_as = "id"', "members of an object"),
        ('url = "/v1/teams{?page,size}"', 'url = "/v1/teams{?size}"', "all pages would be the same"),
        ('url = "/v1/teams{?page,size}"', 'url = "/v1/teams{?page,sze}"', "no 'sze' to put into the address"),
        ('each = "teams"', 'each = "tems"', "no list “tems” before this one"),
        ('from = "members"\nkey = "$.user.login"', 'from = "membrs"\nkey = "$.user.login"', "no list “membrs”"),
        ('of = "members"\nsend = "DELETE"', 'of = "member"\nsend = "DELETE"', "no entries “member”"),
        ('members/{login}"\ngone', 'members/{logn}"\ngone', "no 'logn' to put into the address"),
        ('body = { role = "{level}" }', 'body = { role = "{levle}" }', "no {levle} to put into the body"),
        ('body = { role = "{level}" }', 'body = { role = "guest" }', "has {level}, so that nothing would say it"),
        ('zone = "Europe/London"', 'zone = "Europe/Londn"', "no time zone"),
        ('gone = "left"', 'gone = "lft"', "'lft' is none of"),
        ("gone = [404]", "gone = [409]", "two meanings"),
        ('key = { team = "$.of.id", ', 'key = { level = "$.of.id", ', "means something else in an act"),
        ("description = 1", "a.b.c.d.e.f.g.h.i = 1", "more than 8 parts"),
        ('paging = "page"', 'paging = "cursor"', "path to the next cursor"),
        ("description = 1", "description = 2", "should be 1"),
        ('lead = ["view"', 'lead = ["veiw"', "should be"),
        ("[sign_in]", "[sign_in", "not TOML"),
    ],
)
def test_what_cannot_be_meant_is_told_with_its_line(before: str, after: str, said: str) -> None:
    text = (FOLDER / "club.toml").read_text("utf-8")
    assert before in text
    told = mistakes(text.replace(before, after, 1))
    assert any(said in one["problem"] for one in told), told
    (first, *_) = [one for one in told if said in one["problem"]]
    number = int(first["at"].removeprefix("line ").partition(",")[0])
    changed = text[: text.index(before)].count("\n") + 1
    assert abs(number - changed) <= 2, (number, changed)


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ('do = "give"\nof = "members"\nurl = "/x/{account}/{party}"', "said twice how to give"),
        ('do = "give"\nof = "more"\nurl = "/x/{account}/{party}"', "how to give a delegate is said already"),
        ('do = "give"\nof = "dated"\nurl = "/x/{account}"', "has {party}, so that nothing would say it"),
        ('do = "give"\nof = "dated"\nurl = "/x/{account}/{party}/{id}"', "no 'id' to put into the address"),
        ('do = "join"\nof = "dated"\nurl = "/x/{team}/{member}"', "no memberships “dated”"),
        ('do = "join"\nof = "members"\nurl = "/x/{team}"', "has {member}, so that nothing would say it"),
        ('do = "leave"\nof = "teams"\nurl = "/x/{team}/{member}"', "how to leave a team is said of “members” already"),
        ('do = "leave"\nof = "teams"\nurl = "/x/{team}/{member}"\nzone = "Nowhere"', "no time zone"),
    ],
)
def test_what_can_be_given_and_joined_is_said_once_and_whole(more: str, said: str) -> None:
    entry = 'from = "members"\nkey = { id = "$.id" }\naccount = "$.id"\nparty = "$.id"\n'
    text = (FOLDER / "club.toml").read_text("utf-8") + "".join(
        [
            f'\n[[entries]]\nname = "more"\n{entry}',
            f'\n[[entries]]\nname = "dated"\nkind = "grant"\n{entry}',
            *(f'\n[[memberships]]\nfrom = "{of}"\nteam = "$.id"\nmember = "$.id"\n' for of in ("members", "teams")),
            '\n[[acts]]\ndo = "leave"\nof = "members"\nsend = "DELETE"\nurl = "/x/{team}/{member}"\n',
        ]
    )
    assert mistakes(text) == []
    told = mistakes(f'{text}\n[[acts]]\nsend = "POST"\n{more}\n')
    assert any(said in one["problem"] for one in told), told
    assert all(int(one["at"].removeprefix("line ")) > text.count("\n") for one in told)


@given(st.text(max_size=200) | st.binary(max_size=100).map(lambda raw: raw.decode("latin-1")))
def test_any_text_is_a_description_or_is_refused(text: str) -> None:
    mistakes(text)
    assert line_of(text, ("lists", 0, "url")) >= 1
