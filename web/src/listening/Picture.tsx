import { useEffect, useRef } from "react";
import { position, useListening, useMonitor } from "./engine";

type Props = {
  /** The file that has the picture. */
  file: string;
  name: string;
  /** The picture's time, in seconds, for a position on the clock of what is heard. */
  timeOf: (position: number) => number;
  /** Whether what is heard now is on that clock. */
  inStep: boolean;
  /** The picture's time that is shown while nothing plays. */
  still: number;
  className?: string;
};

/**
 * A small picture that plays in step with the sound: it is brought along a little faster or slower, or
 * moved where it is far off, and says by how much each frame is off.
 */
export function Picture({ file, name, timeOf, inStep, still, className = "" }: Props) {
  const video = useRef<HTMLVideoElement>(null);
  const playing = useMonitor((m) => m.hearing !== null && m.readings.length > 0) && inStep;
  const speed = useListening((s) => s.speed);
  const latest = useRef(timeOf);
  latest.current = timeOf;

  useEffect(() => {
    const v = video.current;
    if (!v || playing) return;
    v.pause();
    v.playbackRate = 1;
    const at = Math.max(0, still);
    if (Math.abs(v.currentTime - at) > 0.01) v.currentTime = at;
  }, [playing, still]);

  useEffect(() => {
    const v = video.current;
    if (!v || !playing) return;
    let next = 0;
    let frame = 0;
    let moved = 0;
    const off: number[] = [];
    const start = () => {
      next = requestAnimationFrame(start);
      const wanted = latest.current(position());
      if (wanted < 0 || wanted > (v.duration || 0)) v.pause();
      else if (v.paused || v.ended) {
        v.currentTime = wanted;
        v.playbackRate = speed;
        void v.play().catch(() => undefined);
        moved = performance.now();
      }
    };
    // What is on the screen counts, not what the element says its time is.
    const shown: VideoFrameRequestCallback = (now, meta) => {
      frame = v.requestVideoFrameCallback(shown);
      // Where the sound is when this frame is on the screen.
      const then = latest.current(position() + ((meta.expectedDisplayTime - now) / 1000) * speed * rateOf());
      const late = then - meta.mediaTime - halfFrame; // a frame stands for the time until the next
      off.push(then - meta.mediaTime);
      if (off.length > 25) off.shift();
      v.dataset.frames = String(Number(v.dataset.frames ?? 0) + 1);
      v.dataset.off = String(Math.round(([...off].sort((a, b) => a - b)[Math.floor(off.length / 2)] ?? 0) * 1000));
      if (Math.abs(late) > 0.2 && now - moved > 400) {
        v.currentTime = then + 0.04; // about what it takes to get there
        moved = now;
      } else v.playbackRate = speed * (1 + Math.max(-0.3, Math.min(0.3, late * 2)));
    };
    start();
    frame = v.requestVideoFrameCallback(shown);
    return () => {
      cancelAnimationFrame(next);
      v.cancelVideoFrameCallback(frame);
      v.pause();
    };
  }, [playing, speed]);

  return (
    <video
      ref={video}
      src={`/api/files/${file}/picture`}
      aria-label={`Picture of ${name}, in step with the sound`}
      muted
      playsInline
      preload="auto"
      className={`bg-ground object-contain ${className}`}
    />
  );
}

/** Of the small picture, in seconds: at 25 a second, and near enough at other rates. */
const halfFrame = 0.02;

const rateOf = () => useMonitor.getState().hearing?.sampleRate ?? 48000;
