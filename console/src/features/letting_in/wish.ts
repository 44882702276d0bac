/** An offer as it is filled in, and what is sent of it. */
import type { OfferWish } from "@/api/client";
import { quoted } from "@/ui/command";

export interface PartForm {
  account: string;
  by: "task" | "level" | "permissions";
  task: string;
  level: string;
  permissions: string[];
  resources: string[];
  hours: string;
  handle: string;
  /** its own last day, where it is not that of the whole offer */
  until: string;
  /** single powers that end before the rest, by their last day */
  powerUntil: Record<string, string>;
}

export interface OfferForm {
  to: string;
  name: string;
  writeTo: string;
  basis: string;
  starts: string;
  until: string;
  endless: boolean;
  lapseHours: number | null;
  replaces: string;
  answer: string;
  request: string;
  parts: PartForm[];
}

export function emptyPart(account = ""): PartForm {
  return {
    account,
    by: "task",
    task: "",
    level: "",
    permissions: [],
    until: "",
    resources: [],
    hours: "",
    handle: "",
    powerUntil: {},
  };
}

export function emptyOffer(): OfferForm {
  return {
    to: "",
    name: "",
    writeTo: "",
    basis: "",
    starts: "",
    until: "",
    endless: false,
    lapseHours: null,
    replaces: "",
    answer: "",
    request: "",
    parts: [emptyPart()],
  };
}

/** What someone has said so far is enough to work out what it would be. */
export function complete(form: OfferForm): boolean {
  return (
    form.to.trim() !== "" &&
    (form.until !== "" || form.endless) &&
    form.parts.length > 0 &&
    form.parts.every((part) => part.account !== "" && chosen(part))
  );
}

/** Whether it is said what a part is for. */
export function chosen(part: PartForm): boolean {
  if (part.by === "permissions") return part.permissions.length > 0;
  return (part.by === "task" ? part.task : part.level) !== "";
}

/** What is sent: a need that is a list of powers is told from a task by its commas. */
export function wishOf(form: OfferForm, needs: readonly string[] = []): OfferWish {
  return {
    to: form.to,
    name: form.name,
    write_to: form.writeTo,
    basis: form.basis,
    starts: form.starts || null,
    until: form.until || null,
    endless: form.endless && !form.until,
    lapse_hours: form.lapseHours,
    replaces: form.replaces,
    answer: form.answer,
    request: form.request,
    parts: form.parts.map((part) => ({
      account: part.account,
      level: part.by === "level" ? part.level : "",
      permissions: part.by === "permissions" ? part.permissions : [],
      task: part.by === "task" && part.task !== "asked" ? part.task : "",
      needs: (part.by === "task" && part.task === "asked"
        ? needs
        : []) as OfferWish["parts"][number]["needs"],
      resources: part.resources,
      until: part.until || null,
      hours: part.hours,
      power_until: Object.fromEntries(Object.entries(part.powerUntil).filter(([, day]) => day)),
      handle: part.handle,
    })),
  };
}

/** The same from the command line, which has one word for all parts: empty where they differ in more than the account. */
export function commandOf(form: OfferForm, insteadOf = ""): string {
  const [first = emptyPart()] = form.parts;
  const common = (part: PartForm): string => JSON.stringify({ ...part, account: "", level: "" });
  if (form.parts.some((part) => common(part) !== common(first) || part.until)) return "";
  const words = [insteadOf ? `openlatch offer change ${insteadOf}` : "openlatch offer make"];
  words.push(form.to ? quoted(form.to) : "ADDRESS");
  for (const part of form.parts) {
    const level = part.by === "level" && part.level ? `=${part.level}` : "";
    words.push("--account", quoted(`${part.account || "ACCOUNT"}${level}`));
  }
  if (first.by === "task" && first.task && first.task !== "asked") words.push("--task", first.task);
  if (first.by === "permissions")
    for (const one of first.permissions) words.push("--permission", quoted(one));
  if (form.starts) words.push("--from", form.starts);
  words.push(
    ...(form.until ? ["--until", form.until] : form.endless ? ["--no-end"] : ["--until", "LAST-DAY"]),
  );
  if (first.hours) words.push("--hours", quoted(first.hours));
  for (const [power, day] of Object.entries(first.powerUntil))
    if (day) words.push("--power-until", `${power}=${day}`);
  for (const one of first.resources) words.push("--part", quoted(one));
  if (form.name) words.push("--name", quoted(form.name));
  if (form.basis) words.push("--reason", quoted(form.basis));
  if (first.handle) words.push("--handle", quoted(first.handle));
  if (form.request) words.push("--request", form.request);
  if (form.answer) words.push("--why-less", quoted(form.answer));
  if (form.replaces) words.push("--replaces", form.replaces);
  return words.join(" ");
}
