/** What a new description begins with: the least that can be read, to be put right line by line. */
export const BEGINNING = `description = 1
title = ""

[sign_in]
how = "bearer"        # none, bearer, basic, header, client-credentials, refresh

[[lists]]
name = "members"
url = "/members{?page,size}"
items = "$.data[*]"
paging = "page"       # none, page, offset, cursor, link
size = 100

[[accounts]]
from = "members"
key = "$.team.id"
name = "$.team.name"

[[parties]]
from = "members"
key = "$.user.id"
name = "$.user.name"
addresses = ["$.user.email"]

[[entries]]
from = "members"
key = { team = "$.team.id", user = "$.user.id" }
account = "$.team.id"
party = "$.user.id"
level = "$.role"

[levels]
admin = ["view", "edit", "admit"]
member = ["view"]

[[acts]]
do = "end"            # end, level, pause, resume, date, give, join, leave
of = "members"
send = "DELETE"
url = "/teams/{team}/members/{user}"
gone = [404]
`;

/** The names that are proposed while one types. */
export const NAMES = [
  { path: "sign_in", says: "how requests prove whose they are" },
  { path: "lists", says: "a list that is asked for" },
  { path: "items", says: "where its lines are, a path of RFC 9535" },
  { path: "paging", says: "none, page, offset, cursor or link" },
  { path: "each", says: "the list for each of whose lines it is asked" },
  { path: "with", says: "what comes from that line" },
  { path: "joins", says: "lines of another list that belong to these" },
  { path: "accounts", says: "lines that are accounts" },
  { path: "parties", says: "lines that are people, teams or apps" },
  { path: "entries", says: "lines that are access" },
  { path: "memberships", says: "lines that say who is in a team" },
  { path: "activity", says: "lines that say what was done" },
  { path: "when", says: "only lines with these values" },
  { path: "addresses", says: "e-mail addresses and handles" },
  { path: "last_used", says: "when it was last used" },
  { path: "ends_at", says: "when it ends" },
  { path: "table", says: "what each text means" },
  { path: "otherwise", says: "what any other text means" },
  { path: "levels", says: "what each level allows" },
  { path: "acts", says: "a request that changes an entry" },
  { path: "level_as", says: "what levels are called in the request" },
  { path: "until_as", says: "how an end is written: instant, epoch, day, last-day" },
  { path: "gone", says: "statuses: there was nothing left to do" },
  { path: "refused", says: "statuses: the provider does not do it" },
  { path: "says", says: "where an answer says why" },
] as const;
