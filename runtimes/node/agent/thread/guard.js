'use strict';
/*
 * Gives the program back what was changed in it. A text is put back in the steps in which it was changed, since the
 * engine compares only short runs of changed lines (docs/decisions.md).
 */

/** Milliseconds until what was refused is tried again: first and longest. */
const FIRST_TRY = 100;
const LAST_TRY = 60_000;
/**
 * From this distance between tries on, the whole heap is collected before one, a few times at most: a program that does
 * little keeps functions that have ended for long. Not in a larger heap (bytes): it takes some 2.5 ms for each megabyte.
 */
const COLLECT_FROM = 1_600;
const MOST_COLLECTIONS = 5;
const MOST_COLLECTED = 20_000_000;
/** Milliseconds before each try at a moment without requests, and the part of the time of holding that others may take. */
const CALM_TRIES = [0, 200, 400];
const ANSWERED = 0.6;
/** Fills the space of young objects, some 20 MB, so that they are collected. */
const SWEEP = '(() => { let last; for (let i = 0; i < 400000; i += 1) last = [i, last && last[0]]; })()';
/** Line ends as the engine counts them (ECMAScript, LineTerminatorSequence). */
const LINE_END = /(\r\n|[\n\r\u2028\u2029])/;

/** Whether something is groups of lines: what is kept wrongly could never be put back. */
function isWayBack(steps) {
  const isLine = (row) => Array.isArray(row) && Number.isInteger(row[0]) && typeof row[1] === 'string';
  return Array.isArray(steps) && steps.every((step) => Array.isArray(step) && step.every(isLine));
}

/** Guards one thread of the program: the main one, or a worker (`thread`: the session with it). */
class Guard {
  /** By script: the lines that were there before, in groups that may be put back at once. */
  #back = new Map();
  /** The same of scripts that could not be put back when their client went. */
  #late = new Map();

  constructor(engine, helper, thread, onRestored) {
    this.onRestored = onRestored;
    this.engine = engine;
    this.helper = helper;
    this.thread = thread;
  }

  #post(method, params) {
    return this.thread === undefined
      ? this.engine.post(method, params)
      : this.engine.postTo(this.thread, method, params);
  }

  /** Whether the thread is still there to be cared for. */
  get isThere() {
    return this.thread === undefined || this.engine.hasThread(this.thread);
  }

  /** Remembers how a script is to be when nobody is there any more. `steps`: groups of [line from 0, its text]. */
  keep(scriptId, steps) {
    if (typeof scriptId !== 'string' || !isWayBack(steps)) {
      throw new Error('a script and its lines are wanted');
    }
    this.#back.set(scriptId, steps);
  }

  restored(scriptId) {
    this.#back.delete(scriptId);
  }

  get isClean() {
    return this.#back.size + this.#late.size === 0 || !this.isThere;
  }

  /** Scripts that are not as they were, each with the program's own text. */
  async left() {
    const left = [];
    for (const [scriptId, steps] of this.#late) {
      const text = await this.#textOf(scriptId);
      if (text !== undefined) {
        left.push([scriptId, steps.reduce(withLines, text)]);
      }
    }
    return left;
  }

  /** @returns what the engine runs; undefined where the script is gone, or the session has just ended */
  async #textOf(scriptId) {
    try {
      return (await this.#post('Debugger.getScriptSource', { scriptId })).scriptSource;
    } catch (error) {
      if (error.message.startsWith(NO_SCRIPT)) {
        // Ours went with it.
        this.#late.delete(scriptId);
      }
      return undefined;
    }
  }

  /** Lets the thread go, puts back what can be put back now, and takes the helper out. */
  async release({ milliseconds, times }) {
    const expression = `typeof ${this.helper} === 'undefined' || ${this.helper}.leave()`;
    await this.#post('Debugger.setSkipAllPauses', { skip: true }).catch(() => undefined);
    await this.#post('Debugger.resume').catch(() => undefined);
    for (const [scriptId, steps] of this.#back) {
      this.#late.set(scriptId, steps);
    }
    this.#back.clear();
    if (this.isLate && !(await this.#ask('isBusy()'))) {
      await this.putBack();
    }
    for (const pause of this.isLate && milliseconds > 0 ? CALM_TRIES.slice(0, times) : []) {
      await new Promise((done) => setTimeout(done, pause));
      await this.#putBackCalmly(milliseconds);
      if (!this.isLate) break;
    }
    await this.#post('Runtime.evaluate', { expression, silent: true }).catch(() => undefined);
  }

  /** The same at a moment when no request is under way: new ones are held meanwhile (served.js). */
  async #putBackCalmly(milliseconds) {
    if (!(await this.#ask(`calm(${milliseconds}, ${milliseconds * ANSWERED})`))) {
      return;
    }
    // Async functions that have ended are seen to have when young objects have been collected.
    await this.#post('Runtime.evaluate', { expression: SWEEP, silent: true }).catch(() => undefined);
    await this.putBack();
    await this.#ask('release()');
  }

  /** Whether the helper says yes; it says no where it is not there. */
  async #ask(call) {
    const expression = `typeof ${this.helper} === 'undefined' ? false : ${this.helper}.${call}`;
    const args = { expression, silent: true, awaitPromise: true };
    const { result } = await this.#post('Runtime.evaluate', args).catch(() => ({}));
    return result?.value === true;
  }

  /** Tries what is late. */
  async putBack() {
    for (const [scriptId, steps] of [...this.#late]) {
      if (await this.#putBackOne(scriptId, steps)) {
        this.#late.delete(scriptId);
        this.onRestored(scriptId);
      }
    }
  }

  /** Ids of the scripts that could not be put back yet. */
  get late() {
    return [...this.#late.keys()];
  }

  /** Whether something is late. */
  get isLate() {
    return this.#late.size > 0 && this.isThere;
  }

  async #putBackOne(scriptId, steps) {
    let text = await this.#textOf(scriptId);
    if (text === undefined) {
      return !this.#late.has(scriptId);
    }
    for (const step of steps) {
      const scriptSource = withLines(text, step);
      if (scriptSource !== text) {
        const answer = await this.#post('Debugger.setScriptSource', { scriptId, scriptSource }).catch(() => REFUSED);
        if (answer.status !== undefined && answer.status !== 'Ok') {
          return false;
        }
        text = scriptSource;
      }
    }
    return true;
  }
}

/** What the engine says of a script that has been collected (V8, v8-debugger-agent-impl.cc). */
const NO_SCRIPT = 'No script';
const REFUSED = { status: 'refused' };

/** The guards of all threads of a program. */
class Guards {
  #all = new Map();
  #pause = FIRST_TRY;
  #collections = 0;
  /** How new requests may be held, as the client has it: `milliseconds` at a time, `times` at most. */
  hold;

  /** @param onRestored called with the script that has been put back in the main thread */
  constructor(engine, helper, onRestored) {
    this.engine = engine;
    this.helper = helper;
    this.onRestored = onRestored;
    this.main = this.of(undefined);
  }

  /** The guard of a thread; undefined names the main one. */
  of(thread) {
    if (thread !== undefined && typeof thread !== 'string') {
      throw new Error('a thread is named by its session');
    }
    const guard = this.#all.get(thread) ?? new Guard(this.engine, this.helper, thread, (scriptId) => thread === undefined && this.onRestored(scriptId));
    this.#all.set(thread, guard);
    return guard;
  }

  get isClean() {
    return [...this.#all.values()].every((guard) => guard.isClean);
  }

  async release() {
    // There may be something new in the way of what is late.
    this.#pause = FIRST_TRY;
    this.#collections = 0;
    // The main thread first: messages to the others go through it.
    for (const guard of this.#all.values()) {
      if (guard.isThere) {
        await guard.release(this.hold);
      }
    }
  }

  /**
   * Tries until everything is back, also while the next client is there. Functions that wait at an await are in the
   * way until they end.
   * @param isClient whether a client is there: it is told of all scripts when it has the engine's debugger enabled, so
   *   that is left to it
   */
  async finish(isClient) {
    if (this.isFinishing) {
      return;
    }
    this.isFinishing = true;
    const late = () => [...this.#all.values()].filter((guard) => guard.isLate);
    for (; late().length > 0; this.#pause = Math.min(this.#pause * 2, LAST_TRY)) {
      await new Promise((done) => setTimeout(done, this.#pause));
      if (!this.engine.isDebugging && !isClient()) {
        await this.engine.post('Debugger.enable').catch(() => undefined);
      }
      const mayCollect = this.#pause >= COLLECT_FROM && this.#collections < MOST_COLLECTIONS;
      if (mayCollect && (await this.#heap()) < MOST_COLLECTED) {
        this.#collections += 1;
        await this.engine.post('HeapProfiler.collectGarbage').catch(() => undefined);
      }
      for (const guard of this.engine.isDebugging ? late() : []) {
        await guard.putBack();
      }
    }
    this.isFinishing = false;
  }

  /** Bytes in the heap of the main thread. */
  async #heap() {
    const { usedSize } = await this.engine.post('Runtime.getHeapUsage').catch(() => ({ usedSize: Infinity }));
    return usedSize;
  }
}

function withLines(text, step) {
  const parts = text.split(LINE_END);
  for (const [line, own] of step) {
    parts[line * 2] = own;
  }
  return parts.join('');
}

module.exports = { Guards };
