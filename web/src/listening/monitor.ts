import { create } from "zustand";
import type { Schemas } from "../api/client";
import type { MonitorMode } from "./matrix";

type Rate = Schemas["Rate"];

/** What is asked to be heard. */
export type Hearing = {
  /** Names of sound on one clock, the pair of recordings that is compared, or a reel or something of it. */
  of:
    | { strands: string[] }
    | { pair: string; ref?: string; take?: string }
    | {
        reel: string;
        track?: string;
        bus?: string;
        solo?: string[];
        mute?: string[];
        /** Outputs that alone are heard, by their places from 0. */
        outputs?: number[];
        doing?: string;
        identify?: boolean;
        /** Without corrections, as it was before them. */
        uncorrected?: boolean;
        /** A track or bus before its treatment, as loud as it is after it. */
        untreated?: string;
        /** Added for the listening alone. */
        gainDb?: number;
        /** As its speakers are heard by a head in their midst. */
        headphones?: boolean;
      };
  /** What the channels are called, in order. */
  labels: string[];
  /** What they are called where it is heard on headphones, with a channel an ear. */
  speakers?: string[];
  /** Position on that clock to begin at, in samples. */
  from: number;
  /** The stretch that is heard over and over, if any. */
  loop?: { from: number; to: number };
  sampleRate: number;
  /** Heard at the rate of a reel and with drift corrected, as it is used; otherwise as recorded. */
  used?: boolean;
  /** Made as loud as the first, to be compared. */
  match?: boolean;
  /** Said in the monitor strip: "strand 4, Lav Ines, take 21A-3". */
  says: string;
  /** Samples since midnight where the clock begins, or null. */
  start: number | null;
  /** What its timecode counts in, where that is not what the production's does. */
  rate?: Rate;
  mode: MonitorMode;
  /** It goes along with the cursor of the sheet. */
  follows?: boolean;
};

/** What the meters read of a channel: full scale 1. */
export type Reading = { peak: number; ppm: number };

/** Loudness of what was heard so far, folded down, in LUFS and dBTP; minus infinity for silence. */
export type Loudness = { momentary: number; shortTerm: number; integrated: number; truePeak: number };

type Monitor = {
  hearing: Hearing | null;
  /** Position on the clock of what is heard that sounds now. */
  at: number;
  readings: Reading[];
  /** Null where it is not measured: at another speed than its own. */
  loudness: Loudness | null;
  /** Highest peak of each channel since the listening began. */
  held: number[];
  /** Channels that have reached full scale, until that is cleared. */
  clipped: boolean[];
  latched: boolean;
  /** How it is heard, in words. */
  mode: string;
  /** dB by which each channel was matched. */
  gains: number[];
  /** Milliseconds from the key to the first sample, for the last listening. */
  delay: number | null;
  /** Times that there was no sound to play since the listening began. */
  gaps: number;
  /** Times that a loop has begun. */
  rounds: number;
  error: string | null;
  scrubbing: boolean;
};

/** The state of the monitor: separate from routing, never a part of what is delivered. */
export const useMonitor = create<Monitor>(() => ({
  hearing: null,
  at: 0,
  readings: [],
  loudness: null,
  held: [],
  clipped: [],
  latched: false,
  mode: "",
  gains: [],
  delay: null,
  gaps: 0,
  rounds: 0,
  error: null,
  scrubbing: false,
}));

/** How loud and how fast one listens. */
export const useListening = create<{
  gainDb: number;
  dim: boolean;
  speed: 0.5 | 1 | 2;
  keepPitch: boolean;
  /** Outputs of the browser beyond the first two are used. */
  outputs: number;
  /** Reels are heard on headphones, as from their speakers. */
  headphones: boolean;
}>(() => ({ gainDb: 0, dim: false, speed: 1, keepPitch: true, outputs: 2, headphones: false }));

/** dB by which dim lowers. */
export const dimDb = -20;
