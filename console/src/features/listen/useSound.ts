import { useEffect, useRef, useState } from 'react';
import type { Said, Tone } from './course';

/** How loud it is, and how long it takes to fade in and out, in seconds. */
const LOUD = 0.15;
const FADE = 0.015;

/** Plays tones; says what is to be said when it is reached. */
export function useSound() {
  const context = useRef<AudioContext>(undefined);
  const timers = useRef<number[]>([]);
  const [isPlaying, setPlaying] = useState(false);
  const [reached, setReached] = useState<Said>();
  const stop = () => {
    timers.current.forEach((timer) => window.clearTimeout(timer));
    timers.current = [];
    void context.current?.close();
    context.current = undefined;
    setPlaying(false);
  };
  useEffect(
    () => () => {
      timers.current.forEach((timer) => window.clearTimeout(timer));
      void context.current?.close();
    },
    [],
  );
  const play = (tones: Tone[], said: Said[]) => {
    stop();
    const made = new AudioContext();
    context.current = made;
    const [sound, volume] = [made.createOscillator(), made.createGain()];
    sound.connect(volume).connect(made.destination);
    const begin = made.currentTime + 0.05;
    volume.gain.setValueAtTime(0, begin);
    for (const { at, hz } of tones) {
      volume.gain.setTargetAtTime(hz === null ? 0 : LOUD, begin + at, FADE);
      if (hz !== null) sound.frequency.setTargetAtTime(hz, begin + at, FADE);
    }
    const end = tones.at(-1)?.at ?? 0;
    sound.start(begin);
    sound.stop(begin + end + 0.2);
    setPlaying(true);
    setReached(undefined);
    timers.current = [
      ...said.map((one) => window.setTimeout(() => setReached(one), one.at * 1000)),
      window.setTimeout(stop, (end + 0.3) * 1000),
    ];
  };
  return { isPlaying, reached, play, stop };
}
