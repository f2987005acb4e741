// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { RaceClock } from "./clock";
import { Skew } from "./Film";

describe("the clock of a race", () => {
  let clock: RaceClock;

  beforeEach(() => {
    vi.useFakeTimers({ toFake: ["performance", "requestAnimationFrame", "cancelAnimationFrame"] });
    clock = new RaceClock(20, 0);
  });

  afterEach(() => {
    clock.stop();
    vi.useRealTimers();
  });

  it("goes on with the page's own time, at its speed, and stands where it is paused", () => {
    clock.play();
    vi.advanceTimersByTime(3000);
    expect(clock.now()).toBeCloseTo(3, 2);
    clock.setSpeed(0.25);
    vi.advanceTimersByTime(4000);
    expect(clock.now()).toBeCloseTo(4, 2);
    clock.pause();
    vi.advanceTimersByTime(5000);
    expect(clock.now()).toBeCloseTo(4, 2);
    expect(clock.playing).toBe(false);
  });

  it("goes on from where it was sought, and never beyond an end", () => {
    clock.seek(12);
    clock.play();
    vi.advanceTimersByTime(1000);
    expect(clock.now()).toBeCloseTo(13, 2);
    clock.seek(99);
    expect(clock.now()).toBe(20);
    clock.seek(-4);
    vi.advanceTimersByTime(500);
    expect(clock.now()).toBeCloseTo(0.5, 1);
  });

  it("stops at the end, tells so, and begins anew when it is played again", () => {
    const told = vi.fn();
    clock.subscribe(told);
    clock.seek(19.5);
    clock.play();
    vi.advanceTimersByTime(2000);
    expect(clock.playing).toBe(false);
    expect(clock.shown).toBe(20);
    expect(told).toHaveBeenCalled();
    clock.play();
    vi.advanceTimersByTime(1000);
    expect(clock.now()).toBeCloseTo(1, 1);
  });

  it("tells what is shown some ten times a second, and whoever left hears no more", () => {
    const told = vi.fn();
    const leave = clock.subscribe(told);
    clock.play();
    vi.advanceTimersByTime(1000);
    expect(told.mock.calls.length).toBeGreaterThan(7);
    expect(told.mock.calls.length).toBeLessThan(16);
    leave();
    const heard = told.mock.calls.length;
    vi.advanceTimersByTime(1000);
    expect(told.mock.calls.length).toBe(heard);
  });

  it("tells the worst of the last second that films were out of step", () => {
    const skew = new Skew();
    expect(skew.worst()).toBeNull();
    skew.note(-0.03);
    skew.note(0.01);
    expect(skew.worst()).toBeCloseTo(0.03);
    vi.advanceTimersByTime(1500);
    skew.note(0.004);
    expect(skew.worst()).toBeCloseTo(0.004);
  });
});
