'use strict';
/*
 * The engine's own breakpoints that have a condition. What a pass of one costs is measured where it is, since the engine
 * reads the code around the place anew each time; the helper keeps the share of the thread's time from that.
 */
const { performance } = require('node:perf_hooks');
const { ADDRESS } = require('./engine.js');

const SAMPLES = 3;

class Stops {
  /** By breakpoint id: the number under which the helper knows it. */
  #numbers = new Map();
  #isMeasured = new Set();

  constructor(engine, helperName) {
    this.engine = engine;
    this.helper = helperName;
  }

  add(breakpointId, number) {
    this.#numbers.set(breakpointId, number);
  }

  /** Takes a breakpoint out whose share of the time is used up. */
  async tooHot(number) {
    for (const [breakpointId, other] of [...this.#numbers]) {
      if (other === number) {
        this.#numbers.delete(breakpointId);
        await this.engine.post('Debugger.removeBreakpoint', { breakpointId }).catch(() => undefined);
      }
    }
  }

  /** Whether a pause is the first pass of a place, which is not measured yet. */
  isNew({ hitBreakpoints = [] }) {
    return hitBreakpoints.some((id) => this.#numbers.has(id) && !this.#isMeasured.has(id));
  }

  /** Measures the place. @returns whether anybody wanted the program to stop there */
  async measure({ hitBreakpoints, callFrames: [{ callFrameId }] }) {
    let cost = Number.POSITIVE_INFINITY;
    for (let sample = 0; sample < SAMPLES; sample += 1) {
      const began = performance.now();
      const args = { callFrameId, expression: `0${ADDRESS}`, silent: true };
      await this.engine.post('Debugger.evaluateOnCallFrame', args).catch(() => undefined);
      cost = Math.min(cost, performance.now() - began);
    }
    const costs = hitBreakpoints.filter((id) => this.#numbers.has(id) && !this.#isMeasured.has(id));
    const told = costs.map((id) => `${this.helper}.costs(${this.#numbers.get(id)},${cost})`);
    for (const id of costs) {
      this.#isMeasured.add(id);
    }
    const isWanted = await this.engine.evaluate(`(${[...told, `${this.helper}.isStop()`].join(',')})`);
    // Another breakpoint on the same place has no condition.
    return isWanted !== false || hitBreakpoints.some((id) => !this.#numbers.has(id));
  }

  forget() {
    this.#numbers.clear();
    this.#isMeasured.clear();
  }
}

module.exports = { Stops };
