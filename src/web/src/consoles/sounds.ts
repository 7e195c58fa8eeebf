import { useEffect, useRef } from "react";
import type { BootView } from "../shared/api";

/** A row of tones: hertz, and seconds each. */
function play(tones: [number, number][]) {
  const audio = new AudioContext();
  let at = audio.currentTime;
  for (const [hertz, seconds] of tones) {
    const tone = audio.createOscillator();
    const loud = audio.createGain();
    tone.frequency.value = hertz;
    loud.gain.setValueAtTime(0.0001, at);
    loud.gain.exponentialRampToValueAtTime(0.2, at + 0.02);
    loud.gain.exponentialRampToValueAtTime(0.0001, at + seconds);
    tone.connect(loud).connect(audio.destination);
    tone.start(at);
    tone.stop(at + seconds);
    at += seconds;
  }
  setTimeout(() => void audio.close(), at * 1000 + 500);
}

/** Sounds for who looks at the board and not at the page: a stage, the login, a silence that is too long. */
export const sounds = {
  stage: () =>
    play([
      [520, 0.12],
      [660, 0.18],
    ]),
  login: () =>
    play([
      [520, 0.14],
      [660, 0.14],
      [880, 0.35],
    ]),
  worry: () =>
    play([
      [330, 0.25],
      [262, 0.45],
    ]),
};

/** Plays them as the boot goes on, while they are asked for. */
export function useSounds(boot: BootView, worried: boolean, on: boolean) {
  const stage = useRef(boot.lastStage);
  const worry = useRef(worried);
  useEffect(() => {
    if (boot.lastStage !== stage.current) {
      stage.current = boot.lastStage;
      if (on && boot.live) (boot.lastStage === "login" ? sounds.login : sounds.stage)();
    }
    if (worried !== worry.current) {
      worry.current = worried;
      if (on && worried) sounds.worry();
    }
  }, [boot.lastStage, boot.live, worried, on]);
}
