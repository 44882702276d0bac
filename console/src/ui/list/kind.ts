import { commaInNumbers } from "@/ui/time";
import type { LocationQuery, LocationQueryRaw } from "vue-router";
import type { View } from "@/api/client";
import { quoted } from "@/ui/command";

/** What is wanted of a list, as its address says it: filters, a search, an order, columns. */
export type Filter = Partial<Record<string, string>>;

export interface Chip {
  field: string;
  text: string;
  value: string;
}

/** What a list can be asked for, and how that is said to a person, to the service and on the command line. */
export interface Plan {
  /** The list of which views are saved. */
  of: View["of"];
  /** The command that lists the same. */
  command: string;
  /** What is searched. */
  searches: string;
  /** All that its address may say, with "sort" and "columns" among them. */
  fields: readonly string[];
  /** Filters that are true or false, each with its two options on the command line. */
  switches: Record<string, readonly [yes: string, no: string]>;
  /** The orders by what comes first; the first of them is the usual one. */
  orders: readonly (readonly [key: string, first: string])[];
  columns: readonly { key: string; title: string }[];
  usual: readonly string[];
  /** What stands before the value in a chip; the name of the filter where nothing else is said. */
  names: Record<string, string>;
  values: Record<string, Record<string, string>>;
  offered: readonly {
    title: string;
    choices: readonly (readonly [field: string, value: string, name: string])[];
  }[];
  /** Views that everybody has; saved ones come on top of them. */
  views: readonly { name: string; filter: Filter }[];
}

export const FORMATS: [string, string][] = [
  ["csv", "CSV"],
  ["xlsx", "Spreadsheet (XLSX)"],
  ["jsonl", "JSON Lines"],
];
const APART = ["q", "sort", "columns"];

/** The filter without some fields, such as the order for what does not depend on one. */
export function without(filter: Filter, ...fields: string[]): Filter {
  return Object.fromEntries(Object.entries(filter).filter(([field]) => !fields.includes(field)));
}

/** A kind of list, with all that follows from its plan. */
export function listKind(plan: Plan) {
  const option = (field: string, value: string): string => {
    const [yes, no] = plan.switches[field] ?? ["", ""];
    if (field in plan.switches) return value === "true" ? yes : no;
    return `--${field} ${quoted(value)}`;
  };
  const columns = {
    /** The columns that an address names, or the usual ones. */
    chosen(words: string | undefined): string[] {
      const wanted = words ? words.split(",") : plan.usual;
      const found = plan.columns.map((column) => column.key).filter((key) => wanted.includes(key));
      return found.length ? found : columns.chosen(undefined);
    },
    /** What an address says once a column is put in or taken out; nothing if these are the usual ones. */
    toggled(words: string | undefined, key: string): string {
      const before = new Set(columns.chosen(words));
      if (!before.delete(key)) before.add(key);
      const after = plan.columns.map((column) => column.key).filter((one) => before.has(one));
      return after.join() === columns.chosen(undefined).join() ? "" : after.join();
    },
  };
  return {
    ...plan,
    ...columns,
    /** Read a filter from an address; what is not known there is left alone. */
    fromAddress(query: LocationQuery): Filter {
      return Object.fromEntries(
        plan.fields.flatMap((field) => {
          const value = query[field];
          return typeof value === "string" && value ? [[field, value]] : [];
        }),
      );
    },
    /** The address of a filter, keeping whatever else the address said. */
    toAddress(filter: Filter, query: LocationQuery): LocationQueryRaw {
      const others = Object.entries(query).filter(([name]) => !plan.fields.includes(name));
      return { ...Object.fromEntries(others), ...filter };
    },
    /** The filter as the API takes it. */
    toQuery(filter: Filter): Record<string, string | boolean> {
      return Object.fromEntries(
        Object.entries(without(filter, "columns")).map(([field, value = ""]) => [
          field,
          field in plan.switches ? value === "true" : value,
        ]),
      );
    },
    /** The filter in readable pieces, each of which can be taken away. */
    chips(filter: Filter): Chip[] {
      const spoken = without(filter, ...APART);
      return plan.fields
        .filter((field) => spoken[field])
        .map((field) => {
          const value = filter[field] ?? "";
          return {
            field,
            text: plan.names[field] ?? field,
            value: plan.values[field]?.[value] ?? value.replaceAll(",", " or "),
          };
        });
    },
    /** Where the same list can be had as a file. */
    exportAddress(filter: Filter, format: string): string {
      // A spreadsheet expects semicolons where a comma is part of numbers.
      const separator = format === "csv" && commaInNumbers() ? { separator: "semicolon" } : {};
      const asked = { ...without(filter, "columns"), format, ...separator } as Record<string, string>;
      return `/api/v1/${plan.of}/export?${new URLSearchParams(asked).toString()}`;
    },
    /** The command that lists the same. */
    line(filter: Filter): string {
      const asked = plan.fields.filter((field) => field !== "q" && filter[field]);
      return [
        `openlatch ${plan.command}`,
        ...(filter.q ? [quoted(filter.q)] : []),
        ...asked.map((field) => option(field, filter[field] ?? "")),
      ].join(" ");
    },
  };
}

export type ListKind = ReturnType<typeof listKind>;
