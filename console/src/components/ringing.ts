import { useEffect, useRef } from 'react';
import type { AlarmCounts } from '../api/schema';
import { kept } from '../format/kept';

const choice = kept('key-lantern-ringing');

/** Whether this browser rings when an alarm comes. */
export const useRings = (): boolean => choice.use() !== '';

/** Chooses whether this browser rings. */
export const setRings = (rings: boolean): void => choice.set(rings ? 'yes' : '');

/** Two tones, in hertz, and how long each of them sounds and fades, in seconds. */
const TONES = [880, 660];
const SOUNDS_S = 0.35;
const FADES_S = 0.08;
const LOUD = 0.2;

/** Rings once: thrice the two tones if it is urgent. */
export function ring(isUrgent: boolean): void {
  const context = new AudioContext();
  const [sound, volume] = [context.createOscillator(), context.createGain()];
  sound.connect(volume).connect(context.destination);
  const tones = Array.from({ length: isUrgent ? 3 : 1 }, () => TONES).flat();
  const begin = context.currentTime + 0.05;
  volume.gain.setValueAtTime(0, begin);
  tones.forEach((hz, i) => {
    const at = begin + i * SOUNDS_S;
    sound.frequency.setValueAtTime(hz, at);
    volume.gain.setTargetAtTime(LOUD, at, FADES_S / 4);
    volume.gain.setTargetAtTime(0, at + SOUNDS_S - FADES_S, FADES_S / 4);
  });
  sound.onended = () => void context.close();
  sound.start(begin);
  sound.stop(begin + tones.length * SOUNDS_S + FADES_S);
}

/** Rings whenever more alarms wait than before, if this browser is to. */
export function useRinging(counts: AlarmCounts | undefined): void {
  const rings = useRings();
  const before = useRef<AlarmCounts>(undefined);
  useEffect(() => {
    if (!counts) return;
    const last = before.current;
    before.current = counts;
    if (!rings || !last) return;
    const more = (severity: keyof AlarmCounts) => counts[severity] > last[severity];
    if (more('low') || more('medium') || more('high') || more('urgent')) ring(more('urgent'));
  }, [counts, rings]);
}
