import { describe, expect, test } from "vitest";
import { withRows } from "./withRows";

const list = (ids: string, said = "was") => [...ids].map((id) => ({ id, said }));

describe("rows read anew", () => {
  test.each([
    ["one that changed", "abc", "b", "b", ["a was", "b now", "c was"]],
    ["one that is gone", "abc", "b", "", ["a was", "c was"]],
    ["one that is new, in its place", "ac", "b", "b", ["a was", "b now", "c was"]],
    ["before all and after all", "bc", "ad", "da", ["a now", "b was", "c was", "d now"]],
    ["into a list of none", "", "ab", "ba", ["a now", "b now"]],
    ["a strand's take, asked for by the strand", "abc", "x", "b", ["a was", "b now", "c was"]],
    ["a take that became another's", "abc", "ab", "b", ["b now", "c was"]],
    ["none at all", "ab", "", "", ["a was", "b was"]],
  ])("%s", (_, was, asked, got, want) => {
    expect(withRows(list(was), asked, list(got, "now")).map((r) => `${r.id} ${r.said}`)).toEqual(want);
  });

  test("rows that have not changed stay the same objects", () => {
    const was = list("abc");
    const now = withRows(was, ["b"], list("b", "now"));
    expect(now[0]).toBe(was[0]);
    expect(now[2]).toBe(was[2]);
  });
});
