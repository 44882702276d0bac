// made from the code by docs/reference/make.py
export const POWERS = ["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"] as const;
export const MONEY = ["spend", "withdraw"] as const;
export const ADMITTING = ["admit", "own"] as const;
export const SEVERITIES = ["low", "medium", "high", "critical"] as const;
export const KINDS = ["delegate", "grant", "app", "session", "offer", "secret", "open"] as const;
export const STATES = ["offered", "live", "paused", "ending", "ended"] as const;
export const ORDERS = [["severity", "worst flag"], ["risk", "highest risk"], ["party", "who"], ["account", "where"], ["last-used", "longest unused"], ["given", "newest"], ["ends", "soonest end"]] as const;
export const FILTERS = ["q", "state", "kind", "power", "provider", "account", "party", "flagged", "rule", "outside", "mine", "unknown", "ends", "risk", "sort", "columns"] as const;
export const ACCOUNT_FILTERS = ["q", "provider", "criticality", "practice", "risk", "sort", "columns"] as const;
export const LOGGED_ABOUT = ["account", "batch", "calendar", "entry", "factor", "flag", "import", "level", "log", "member", "offer", "order", "party", "person", "policy", "proposal", "provider", "reading", "request", "review", "round", "sign-on", "token", "webhook", "workspace"] as const;
export const PARTY_FILTERS = ["q", "kind", "status", "outside", "risk", "sort", "columns"] as const;
export const PROVIDER_FILTERS = ["q", "connector", "trouble", "sort", "columns"] as const;
export const OUTCOMES = {"kept": {"tone": "stays", "means": "stays as it is", "canBeLeft": false}, "proved": {"tone": "good", "means": "a fresh reading shows it", "canBeLeft": false}, "done": {"tone": "good", "means": "someone reported it", "canBeLeft": false}, "waiting": {"tone": "waits", "means": "continues later, or once someone has done something", "canBeLeft": true}, "told": {"tone": "waits", "means": "someone or the provider said yes; no reading shows it yet", "canBeLeft": true}, "to come": {"tone": "going", "means": "not begun", "canBeLeft": false}, "drafted": {"tone": "going", "means": "not begun", "canBeLeft": false}, "running": {"tone": "going", "means": "in progress", "canBeLeft": false}, "stuck": {"tone": "bad", "means": "needs a person", "canBeLeft": true}, "refused": {"tone": "bad", "means": "not possible", "canBeLeft": true}, "undecided": {"tone": "none", "means": "nobody has answered yet", "canBeLeft": false}, "to do": {"tone": "none", "means": "for a person to do", "canBeLeft": true}, "cancelled": {"tone": "none", "means": "cancelled", "canBeLeft": true}, "gone": {"tone": "none", "means": "had ended before", "canBeLeft": false}, "left open": {"tone": "none", "means": "someone takes care of it", "canBeLeft": false}} as const;
export const COLUMN_HEADINGS = {"severity": "", "who": "who", "where": "where", "as": "as", "powers": "powers", "span": "span", "given": "given", "last-used": "last used", "ends": "ends", "reviewed": "reviewed", "parts": "parts", "basis": "reason", "id": "id", "risk": "risk", "why": "why it is flagged"} as const;
export const USUAL_COLUMNS = ["where", "as", "powers", "span", "why"] as const;
