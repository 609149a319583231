import { expect, test } from "vitest";
import type { Bus, Clip, Reel, Track } from "../api/client";
import { timecodeAt } from "../format";
import { percent } from "../stages/reel/typed";
import { fadeAt, valueAt } from "../timeline/curve";
import { dragged, movedTo, without } from "./curve";
import { envelopeValue, envelopeY, movedPoint, pointNear, positions, thinned, withPoint } from "./envelope";
import { figureOf, ofClip, ofFigure, ofLane, ofPlace, ofPosition, ofTrack, overLanes, placeOf } from "./enveloped";
import { kinOf, pointsOf, shownAs } from "./ghost";
import { pasting } from "./paste";
import { parsePosition } from "./position";
import { routeTo } from "./routes";

const pal = { num: 25, den: 1, drop: false };
const drop = { num: 30000, den: 1001, drop: true };

test.each([
  ["10:00:00:00", 1_728_000_000],
  ["3", 1_729_915_200 - 1_920 * 22 + 1_920 * 0],
  ["+1:00", 1_729_873_000 + 48_000],
  ["-12f", 1_729_873_000 - 12 * 1_920],
  ["+480s", 1_729_873_480],
  ["+20ms", 1_729_873_960],
  ["−2f", 1_729_873_000 - 3_840],
])("%s is a position", (text, want) => {
  const at = 1_729_873_000; // 10:00:39:00 and a little
  if (text === "3") expect(timecodeAt(parsePosition(text, at, 48_000, pal) ?? 0, 48_000, pal)).toBe("10:00:39:03");
  else expect(parsePosition(text, at, 48_000, pal)).toBe(want);
});

test("drop-frame timecode names the frames that there are", () => {
  for (const tc of ["01:00:00;00", "00:01:00;02", "00:10:00;00", "23:59:59;29"])
    expect(timecodeAt(parsePosition(tc, 0, 48_000, drop) ?? -1, 48_000, drop)).toBe(tc);
  expect(parsePosition("00:01:00;00", 0, 48_000, drop)).toBeNull();
});

test("feet and frames are counted where film's rate is", () => {
  const film = { num: 24, den: 1, drop: false };
  expect(parsePosition("2+08", 999, 48_000, film, 1000)).toBe(1000 + 40 * 2000);
  expect(parsePosition("+0+01", 5000, 48_000, film)).toBe(7000);
  expect(parsePosition("-1+00", 100_000, 48_000, film)).toBe(100_000 - 16 * 2000);
  expect(parsePosition("2+16", 0, 48_000, film)).toBeNull();
  expect(parsePosition("2+08", 0, 48_000, pal)).toBeNull();
});

test.each(["", "12:61:00:00", "10:00:00:25", "1:2:3:4:5", "+", "abc", "+5x", "1:"])("%j is none", (text) => {
  expect(parsePosition(text, 0, 48_000, pal)).toBeNull();
});

const clip = (id: string, tie?: string): Clip => ({ id, at: 100, in: 20, length: 50, name: id, strands: [id], tie });
const track = (id: string, ...clips: Clip[]): Track => ({ id, label: id, layout: "mono", off: false, clips });

test("what is tied is edited together", () => {
  const tracks = [track("a", clip("1", "x"), clip("2", "y")), track("b", clip("3", "x"), clip("4"))];
  expect([...kinOf(tracks, new Set(["1"]))].sort()).toEqual(["1", "3"]);
  expect([...kinOf(tracks, new Set(["4"]))]).toEqual(["4"]);
});

test("a drag is shown as it would be", () => {
  const c = { ...clip("1"), fade_out: { length: 10 } };
  const clips = new Set(["1"]);
  expect(shownAs(c, { kind: "move", clips, by: -7, onto: {} })).toMatchObject({ at: 93, in: 20 });
  expect(shownAs(c, { kind: "trim", clips, edge: "head", by: -99 })).toMatchObject({ at: 80, in: 0, length: 70 });
  expect(shownAs(c, { kind: "trim", clips, edge: "tail", by: -99 }).length).toBe(1);
  expect(shownAs(c, { kind: "fade", clips, end: "in", length: 99 }).fade_in?.length).toBe(40);
  expect(shownAs(clip("2"), { kind: "move", clips, by: 5, onto: {} }).at).toBe(100);
});

test("points are put, moved between their neighbours, and thinned", () => {
  const c = { ...clip("1"), gain: [{ at: 30, value: -6 }] };
  expect(withPoint(c, 45.4, -3.21)).toEqual([
    { at: 30, value: -6 },
    { at: 45, value: -3.2 },
  ]);
  expect(withPoint(c, 30, 99)).toEqual([{ at: 30, value: 12 }]);
  expect(withPoint(clip("2"), 5, 0)[0]?.at).toBe(20); // no earlier than the clip
  const two = { ...c, gain: withPoint(c, 45, -3) };
  expect(movedPoint(two, 0, 80, -99)[0]).toEqual({ at: 44, value: -48 });
  expect(pointNear(two.gain, 43, 3)).toBe(1);
  expect(pointNear(two.gain, 36, 3)).toBe(-1);
  const line = [0, 10, 20, 30].map((at) => ({ at, value: -at / 10 }));
  expect(thinned([...line, { at: 40, value: 0 }])).toEqual([line[0], line[3], { at: 40, value: 0 }]);
  for (const db of [12, 0, -20, -48]) expect(envelopeValue(envelopeY(db, 7, 120), 7, 120)).toBeCloseTo(db, 6);
});

test("a track's level is drawn over its time, and a clip's envelope over its sound", () => {
  const reel = (tracks: object[]) => ({ doc: { tracks } }) as unknown as Reel;
  const c = { ...clip("a"), in: 20, at: 1000, length: 50, gain: [{ at: 30, value: -1 }] };
  const t = { id: "t", label: "Boom", layout: "mono", off: false, clips: [c], gain: [{ at: 5, value: -2 }] } as Track;
  const over = [ofClip(c), ofTrack(t)] as const;
  expect(over.map((o) => o.shift + 1010)).toEqual([30, 1010]);
  expect(over[0].put([])).toEqual({ set: { clips: ["a"], gain: [] } });
  expect(over[1].put([])).toEqual({ set_track: { id: "t", gain: [] } });
  expect(withPoint(over[1].drawn, 1010, -60)).toEqual([
    { at: 5, value: -2 },
    { at: 1010, value: -48 },
  ]);
  // As the reel has become: what somebody else drew meanwhile, or that it is gone.
  const now = reel([{ ...t, gain: [], clips: [{ ...c, gain: [{ at: 40, value: 3 }] }] }]);
  expect(over[0].in(now)?.drawn.gain).toEqual([{ at: 40, value: 3 }]);
  expect(over[1].in(now)?.drawn.gain).toEqual([]);
  expect(over.map((o) => o.in(reel([])))).toEqual([undefined, undefined]);
  // What is dragged is seen before it is answered, on its own track alone.
  const ghost = { kind: "curve", clips: new Set(["t"]), gain: [{ at: 7, value: 0 }] } as const;
  expect(pointsOf(t.id, t.gain, { ...ghost, gain: [...ghost.gain] })).toEqual([{ at: 7, value: 0 }]);
  expect(pointsOf("u", t.gain, { ...ghost, gain: [...ghost.gain] })).toEqual([{ at: 5, value: -2 }]);
});

test("how a track enters a stem is the server's to say, unless a position is chosen", () => {
  const t = { id: "t", label: "Gull", layout: "mono", off: false, clips: [] } as unknown as Track;
  const stem = { id: "FX", name: "FX", role: "stem", layout: "stereo" } as Bus;
  const reel = { doc: { tracks: [t], weave: { buses: [], sends: {} } } } as unknown as Reel;
  expect(routeTo(t, stem)(reel).actions).toEqual([{ route: { track: "t", to: "FX" } }]);
  expect(routeTo(t, stem, "left")(reel).actions[0]?.set_sends?.sends).toEqual([
    { gain_db: 0, to: "FX", patch: { preset: "left" } },
  ]);
});

test("a position is drawn over time, from where the track stands now", () => {
  const t = { id: "t", label: "Boom", layout: "mono", clips: [] } as unknown as Track;
  const reel = (patch: object, layout = "stereo") =>
    ({
      doc: {
        tracks: [t],
        weave: { buses: [{ id: "DX", role: "stem", layout }], sends: { t: [{ to: "DX", gain_db: -2, patch }] } },
      },
      worked_out: { layouts: { stereo: ["L", "R"], "5.1": ["L", "R", "C", "LFE", "Ls", "Rs"] } },
    }) as unknown as Reel;
  const put = (patch: object) => ofPosition(reel(patch), t)?.put([{ at: 9, value: -0.5 }]);
  const panned = (law: number, position: number) => ({
    set_sends: {
      from: "t",
      sends: [{ to: "DX", gain_db: -2, patch: { preset: "pan", law, position, moving: [{ at: 9, value: -0.5 }] } }],
    },
  });
  expect(put({ preset: "both" })).toEqual(panned(0, 0));
  expect(put({ preset: "both_minus" })).toEqual(panned(-3, 0));
  expect(put({ preset: "left" })).toEqual(panned(-3, -1));
  expect(put({ preset: "pan", law: -4.5, position: 0.3 })).toEqual(panned(-4.5, 0.3));
  const still = ofPosition(reel({ preset: "pan", law: -6, position: 0.3, moving: [{ at: 1, value: 1 }] }), t);
  expect(still?.rest).toBe(0.3);
  expect(still?.put([])).toEqual({
    set_sends: {
      from: "t",
      sends: [{ to: "DX", gain_db: -2, patch: { preset: "pan", law: -6, position: 0.3 } }],
    },
  });
  expect(ofPosition(reel({ preset: "placed" }), t)).toBeNull();
  expect(ofPosition(reel({ preset: "both" }, "5.1"), t)).toBeNull();
  expect(ofPosition(reel({ preset: "both" }), { ...t, layout: "stereo" })).toBeNull();

  // Left is at the top, and no place is beyond the sides.
  expect([
    envelopeValue(0, 0, 30, positions),
    envelopeValue(15, 0, 30, positions),
    envelopeValue(99, 0, 30, positions),
  ]).toEqual([-1, 0, 1]);
  expect(envelopeY(-1, 10, 30, positions)).toBe(10);
  expect([-0.3, 0, 1].map(positions.says)).toEqual(["30 % left", "centre", "100 % right"]);
  expect(["-30", "30 % left", "30 R", "c", "−12,5", "130", "x", ""].map(percent)).toEqual([
    -0.3,
    -0.3,
    0.3,
    0,
    -0.125,
    null,
    null,
    null,
  ]);
});

test("curves are drawn as they sound", () => {
  const curve = [
    { at: 10, value: 0, shape: "smooth" as const },
    { at: 20, value: -10, shape: "hold" as const },
    { at: 30, value: 5 },
  ];
  for (const [at, value] of [
    [0, 0],
    [10, 0],
    [15, -5],
    [20, -10],
    [29, -10],
    [30, 5],
    [99, 5],
  ] as const)
    expect(valueAt(curve, at)).toBeCloseTo(value, 12);
  expect(fadeAt("equal_power", 0.5)).toBeCloseTo(Math.SQRT1_2, 12);
  expect(fadeAt("raised_cosine", 0.5)).toBeCloseTo(0.5, 12);
  expect([fadeAt("", 0.25), fadeAt("", -1), fadeAt("", 2)]).toEqual([0.25, 0, 1]);
});

test("clips are pasted where they were, or on tracks of the same label, or on new ones", () => {
  const reel = { doc: { tracks: [track("a"), { ...track("x"), label: "Boom" }] } } as unknown as Reel;
  const copied = [
    { track: "a", clip: clip("1"), label: "a", layout: "mono" },
    { track: "gone", clip: clip("2"), label: "Boom", layout: "mono" },
    { track: "gone", clip: clip("3"), label: "Boom", layout: "mono" },
    { track: "wide", clip: clip("4"), label: "Boom", layout: "stereo" },
  ];
  const { tracks, actions } = pasting(reel, copied, 7, () => "new");
  expect(tracks).toBe(1);
  expect(actions[0]).toMatchObject({ add_track: { index: 2, track: { id: "new", label: "Boom", layout: "stereo" } } });
  expect(actions[1]?.paste?.clips.map((l) => l.track)).toEqual(["a", "x", "x", "new"]);
  expect(actions[1]?.paste).toMatchObject({ by: 7, over: true });
});

test("a gain over time is typed and dragged between its neighbours", () => {
  expect(movedTo([], 480, -3.456, 240)).toEqual([
    { at: 240, value: 0 },
    { at: 480, value: -3.46 },
    { at: 720, value: 0 },
  ]);
  expect(movedTo([], 0, -3, 240)).toEqual([
    { at: 0, value: -3 },
    { at: 240, value: 0 },
  ]);
  const two = [
    { at: 10, value: -1 },
    { at: 20, value: -2 },
  ];
  expect(movedTo(two, 20, 99, 1)[1]).toEqual({ at: 20, value: 12 });
  expect(movedTo(two, 15, -4, 1).map((p) => p.at)).toEqual([10, 15, 20]);
  expect(dragged(two, 0, 99, -70)[0]).toEqual({ at: 19, value: -60 });
  expect(dragged(two, 1, -5, 0)[1]).toEqual({ at: 11, value: 0 });
  expect(without(two, 20)).toEqual([{ at: 10, value: -1 }]);
  expect(without([{ at: 10, value: -1 }], 10)).toEqual([]);
  expect(without([...two, { at: 30, value: 0 }], 30)).toEqual(two);
});

test("a sound field's turn, tilt and roll over time", () => {
  const t = { id: "t", label: "Deck", layout: "ambisonic 1 SN3D", clips: [] } as unknown as Track;
  const reel = (patch: object, layout = "ambisonic 1 SN3D") =>
    ({
      doc: {
        tracks: [t],
        weave: {
          buses: [{ id: "AMB", role: "stem", layout }],
          sends: { t: [{ to: "AMB", gain_db: 0, patch }] },
        },
      },
      worked_out: { layouts: {} },
    }) as unknown as Reel;
  const patchOf = (e: ReturnType<typeof ofPlace>, curve: { at: number; value: number }[]) => {
    const put = e?.put(curve) as { set_sends: { sends: { patch: object }[] } };
    return put.set_sends.sends[0]?.patch;
  };
  // The plain way becomes one that turns; the figure at rest stays, and the other angles with their points.
  const plain = ofPlace(reel({}), t, "yaw");
  expect(plain?.says).toBe("the turn of Deck");
  expect(patchOf(plain, [{ at: 5, value: 90 }])).toEqual({ preset: "field", turning: { yaw: [{ at: 5, value: 90 }] } });
  const turned = {
    preset: "field",
    turn: { pitch: 10 },
    mirror: "left-right",
    turning: { yaw: [{ at: 1, value: 2 }] },
  };
  const pitch = ofPlace(reel(turned), t, "pitch");
  expect(pitch?.rest).toBe(10);
  expect(pitch?.scale.says(-30)).toBe("30° down");
  expect(patchOf(pitch, [{ at: 5, value: 9 }])).toEqual({
    ...turned,
    turning: { ...turned.turning, pitch: [{ at: 5, value: 9 }] },
  });
  expect(patchOf(ofPlace(reel(turned), t, "yaw"), [])).toEqual({
    preset: "field",
    turn: { pitch: 10 },
    mirror: "left-right",
  });
  // What is decoded, or goes to speakers, is not turned so.
  expect(ofPlace(reel({ preset: "decoded" }), t, "roll")).toBeNull();
  expect(ofPlace(reel({}, "5.1"), t, "roll")).toBeNull();
});

test("figures of places and of treatments are drawn over time, each by itself", () => {
  const t = {
    id: "t",
    label: "Boom",
    layout: "mono",
    clips: [],
    treat: { high_pass: { hz: 80, slope: 12 }, bands: [{ kind: "bell", hz: 900, db: -3, q: 1 }] },
    treat_moves: { high_pass: [{ at: 1, value: 100 }] },
  } as unknown as Track;
  const place = { azimuth: 20, spread: 40, lfe: true, lfe_db: -12, moving: { azimuth: [{ at: 3, value: 9 }] } };
  const reel = (places: object[]) =>
    ({
      doc: {
        tracks: [t],
        weave: {
          buses: [{ id: "FX", role: "stem", layout: "5.1" }],
          sends: { t: [{ to: "FX", gain_db: 0, patch: { preset: "placed", places } }] },
        },
      },
      worked_out: { layouts: {} },
    }) as unknown as Reel;
  const one = reel([place]);
  expect(ofPlace(one, t, "spread")?.rest).toBe(40);
  expect(ofPlace(one, t, "spread")?.put([{ at: 5, value: 90 }])).toEqual({
    set_sends: {
      from: "t",
      sends: [
        {
          to: "FX",
          gain_db: 0,
          patch: {
            preset: "placed",
            places: [{ ...place, moving: { ...place.moving, spread: [{ at: 5, value: 90 }] } }],
          },
        },
      ],
    },
  });
  expect(ofPlace(reel([place, place]), t, "spread")).toBeNull();
  expect(ofPlace(reel([{ azimuth: 0 }]), t, "lfe_db")).toBeNull();
  expect([placeOf("place inward"), placeOf("tracks"), figureOf("treated band_2"), figureOf("")]).toEqual([
    "inward",
    null,
    "band_2",
    null,
  ]);
  expect(["place inward", "treated low_pass", "tracks", "clips"].map(overLanes)).toEqual([true, true, true, false]);

  expect(ofFigure(t, "band_1")?.rest).toBe(-3);
  expect(ofFigure(t, "band_2")).toBeNull();
  expect(ofFigure(t, "compressor")).toBeNull();
  expect(ofLane(one, t, "treated band_1")?.put([{ at: 2, value: 4 }])).toEqual({
    set_track: { id: "t", treat_moves: { high_pass: [{ at: 1, value: 100 }], band_1: [{ at: 2, value: 4 }] } },
  });
  const pass = ofFigure(t, "high_pass");
  expect(pass?.put([])).toEqual({ set_track: { id: "t", treat_moves: {} } });
  // Octaves are as high as each other, and what one takes is what one reads.
  const scale = pass?.scale ?? positions;
  const y = [100, 200, 400].map((hz) => envelopeY(hz, 0, 300, scale));
  expect((y[0] ?? 0) - (y[1] ?? 0)).toBeCloseTo((y[1] ?? 0) - (y[2] ?? 0), 6);
  expect(envelopeValue(y[1] ?? 0, 0, 300, scale)).toBe(200);
});
