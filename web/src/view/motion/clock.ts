import { useSyncExternalStore } from "react";

/** A moment that the bar and the views of a clip share; who draws listens, and nothing else is drawn anew. */
export class Clock {
  private heard = new Set<() => void>();
  private time = 0;

  get time_s(): number {
    return this.time;
  }

  set time_s(time: number) {
    this.time = time;
    for (const hear of this.heard) hear();
  }

  readonly listen = (hear: () => void): (() => void) => {
    this.heard.add(hear);
    return () => this.heard.delete(hear);
  };
}

export const useTime = (clock: Clock): number => useSyncExternalStore(clock.listen, () => clock.time_s);

/** The frame that a moment lies in, and the moment of a frame, counted from a clip's start. */
export const frameAt = (time_s: number, start_s: number, rate: number): number =>
  Math.floor((time_s - start_s) * rate + 1e-6);
export const timeOf = (frame: number, start_s: number, rate: number): number => start_s + frame / rate;

/** Frames a second as one says it: 24, 23.976. */
export const rateText = (rate: number): string => Number(rate.toFixed(3)).toString();
