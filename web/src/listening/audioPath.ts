/** What the audio worklet says of what it plays. */
export type Told = {
  id?: number;
  ended?: boolean;
  /** A position on the clock, and the context's time at which it sounds. */
  at?: number;
  time?: number;
  speed?: number;
  /** Frames that have been played since the stream began. */
  played?: number;
  /** Times that there was no sound to play. */
  gaps?: number;
  /** It is the first of its stream. */
  first?: boolean;
  meters?: Float32Array;
  loudness?: Float32Array;
  recorded?: Float32Array[];
};

const sidesLength = 8192;

/** The way from here to the device at one sample rate: the browser converts to the device's, not we. */
export class AudioPath {
  private readonly last = [new Float32Array(sidesLength), new Float32Array(sidesLength)] as const;

  private constructor(
    readonly context: AudioContext,
    private readonly node: AudioWorkletNode,
    /** Channels that the device takes, 2 at least. */
    readonly outputs: number,
    private readonly analysers: readonly [AnalyserNode, AnalyserNode],
  ) {}

  static async open(sampleRate: number, told: (path: AudioPath, data: Told) => void): Promise<AudioPath> {
    const context = new AudioContext({ sampleRate, latencyHint: "interactive" });
    await context.audioWorklet.addModule("/listening-worklet.js");
    const outputs = Math.min(32, Math.max(2, context.destination.maxChannelCount));
    if (outputs > 2) {
      context.destination.channelCount = outputs;
      context.destination.channelInterpretation = "discrete";
    }
    const node = new AudioWorkletNode(context, "listening", {
      numberOfInputs: 0,
      outputChannelCount: [outputs],
      channelInterpretation: "discrete",
    });
    node.connect(context.destination);
    const split = new ChannelSplitterNode(context, { numberOfOutputs: outputs });
    const side = (i: number) => {
      const a = new AnalyserNode(context, { fftSize: sidesLength });
      split.connect(a, i);
      return a;
    };
    node.connect(split);
    const path = new AudioPath(context, node, outputs, [side(0), side(1)]);
    node.port.onmessage = ({ data }) => told(path, data);
    return path;
  }

  /** Says something to the worklet; what is handed over is not here any more. */
  post(message: Record<string, unknown>, handedOver: Transferable[] = []) {
    this.node.port.postMessage(message, handedOver);
  }

  /** Lets it run, which browsers allow after a gesture. */
  async resume() {
    if (this.context.state !== "running") await this.context.resume();
  }

  /** The last fifth of a second of both sides as they are heard. Valid until the next call. */
  sides(): readonly [Float32Array, Float32Array] {
    for (const i of [0, 1] as const) this.analysers[i].getFloatTimeDomainData(this.last[i]);
    return this.last;
  }

  close() {
    this.node.port.onmessage = null;
    return this.context.close();
  }
}
