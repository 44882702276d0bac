import { describe, expect, it } from "vitest";
import { chips, command, exportAddress, fromAddress, toAddress, toQuery } from "./filters";

describe("a filter of the inventory", () => {
  it("survives the address, and leaves what else the address says alone", () => {
    const address = { flagged: "true", power: "spend,withdraw", sort: "party", entry: "7Q4K-BRM2", odd: "1" };
    const filter = fromAddress(address);
    expect(filter).toEqual({ flagged: "true", power: "spend,withdraw", sort: "party" });
    expect(toAddress(filter, address)).toEqual(address);
    expect(toAddress({}, address)).toEqual({ entry: "7Q4K-BRM2", odd: "1" });
  });

  it("is sent to the API in the API's types", () => {
    expect(toQuery({ flagged: "true", outside: "false", q: "quill" })).toEqual({
      flagged: true,
      outside: false,
      q: "quill",
    });
  });

  it("reads as words, without the search and the order", () => {
    expect(chips({ q: "x", sort: "party", flagged: "true", power: "spend,withdraw" })).toEqual([
      { field: "power", text: "can", value: "move money" },
      { field: "flagged", text: "", value: "flagged" },
    ]);
  });

  it("is the same in a file", () => {
    expect(exportAddress({ q: "a&b", flagged: "true" }, "xlsx")).toBe(
      "/api/v1/entries/export?q=a%26b&flagged=true&format=xlsx",
    );
  });

  it("is the same on the command line, whatever was typed into the search", () => {
    expect(command({ q: "O'Hare; rm", flagged: "true", outside: "false", account: "Plate Archive" })).toBe(
      `openlatch inventory 'O'\\''Hare; rm' --account 'Plate Archive' --flagged --inside`,
    );
  });
});
