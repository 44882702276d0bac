import { describe, expect, it } from "vitest";
import { ENTRIES } from "./filters";

const { chips, chosen, exportAddress, fromAddress, line, toAddress, toggled, toQuery } = ENTRIES;

describe("a filter of the inventory", () => {
  it("survives the address, and leaves what else the address says alone", () => {
    const address = { flagged: "true", power: "spend,withdraw", sort: "party", entry: "7Q4K-BRM2", odd: "1" };
    const filter = fromAddress(address);
    expect(filter).toEqual({ flagged: "true", power: "spend,withdraw", sort: "party" });
    expect(toAddress(filter, address)).toEqual(address);
    expect(toAddress({}, address)).toEqual({ entry: "7Q4K-BRM2", odd: "1" });
  });

  it("is sent to the API in the API's types", () => {
    expect(toQuery({ flagged: "true", outside: "false", q: "quill", columns: "ends,why" })).toEqual({
      flagged: true,
      outside: false,
      q: "quill",
    });
  });

  it("reads as words, without the search and the order", () => {
    expect(
      chips({ q: "x", sort: "party", columns: "ends", flagged: "true", power: "spend,withdraw" }),
    ).toEqual([
      { field: "power", text: "can", value: "move money" },
      { field: "flagged", text: "", value: "flagged" },
    ]);
  });

  it("is the same in a file", () => {
    expect(exportAddress({ q: "a&b", flagged: "true", columns: "ends" }, "xlsx")).toBe(
      "/api/v1/entries/export?q=a%26b&flagged=true&format=xlsx",
    );
  });

  it("is the same on the command line, whatever was typed into the search", () => {
    expect(line({ q: "O'Hare; rm", flagged: "true", outside: "false", account: "Plate Archive" })).toBe(
      `openlatch inventory 'O'\\''Hare; rm' --account 'Plate Archive' --flagged --inside`,
    );
  });
});

describe("the columns of the inventory", () => {
  const keys = (words?: string) => chosen(words);

  it("are the usual ones until someone chooses, and again when nothing that is known is left", () => {
    expect(keys(undefined)).toEqual(["where", "as", "powers", "span", "why"]);
    expect(keys("shoe size")).toEqual(keys(undefined));
  });

  it("come and go one by one in their own order, and the usual ones need no word in the address", () => {
    const more = toggled(undefined, "ends");
    expect(more).toBe("where,as,powers,span,ends,why");
    expect(toggled(more, "span")).toBe("where,as,powers,ends,why");
    expect(toggled(more, "ends")).toBe("");
  });
});
