import { expect, test } from "vitest";
import { paceWords } from "./pace";

test("how fast it goes and how long it takes is said once there is something to go by", () => {
  expect(paceWords(0, 100, 10, 48000)).toBe("");
  expect(paceWords(48000, 100, 0.2, 48000)).toBe("");
  expect(paceWords(48000 * 60, 48000 * 60, 1, 48000)).toBe("60 times real time, 1 s left");
  expect(paceWords(48000 * 5, 48000 * 1000, 2, 48000)).toBe("2.5 times real time, 7 min left");
});
