/*
 * Brings the agent up in a Node program. It is one expression, evaluated in the main thread through the inspector that a
 * signal has opened, with `require` at hand: it starts the agent's thread, leaves the program's side of the way to it
 * under one hidden global name, and closes the inspector again.
 */
((require, options, source, aside) => {
  'use strict';
  const { Worker, MessageChannel } = require('node:worker_threads');
  const process = require('node:process');
  const { setImmediate } = require('node:timers');
  // What the program may replace later is taken now.
  const { Atomics, Int32Array, SharedArrayBuffer, Object, Number, URL, setTimeout } = globalThis;
  if (globalThis[options.name] !== undefined) {
    // Two came at the same moment; the first has brought it up.
    return 'there';
  }
  const { port1: port, port2 } = new MessageChannel();
  const shared = new Int32Array(new SharedArrayBuffer(16));
  /** Whether the client does not read, how many batches the agent has passed on, and whether it has said goodbye. */
  const FULL = 0;
  const PASSED = 1;
  const GOODBYE = 2;
  const STEPPING = 3;
  /** Batches that may be on the way to the agent. */
  const MOST_UNDER_WAY = 64;
  /** Milliseconds that the end of the program may wait for what is on the way. */
  const LAST_WORDS = 400;
  let sent = 0;

  const settings = {
    eval: true,
    // Nothing of the program's options, preloads and environment, and none of its streams.
    execArgv: [],
    env: {},
    stdin: false,
    stdout: true,
    stderr: true,
    name: 'amber-lantern',
    workerData: { ...options, port: port2, shared },
    transferList: [port2],
    resourceLimits: { maxOldGenerationSizeMb: 512 },
  };
  const worker = aside(() => new Worker(source, settings));
  worker.unref();
  // Without a listener an error in the agent would be the program's.
  worker.on('error', () => undefined);
  worker.on('exit', () => {
    takeAway();
    process.removeListener('exit', onExit);
  });

  const way = {
    /** Passes what is told on to the agent; never more than it can take. */
    send(text) {
      sent += 1;
      port.postMessage(text);
    },
    /** The agent measures what a pass of an engine's breakpoint costs. */
    measures: true,
    /** Whether the client steps now. */
    isStepping: () => Atomics.load(shared, STEPPING) === 1,
    /** A breakpoint of the engine has had its share of the time. */
    hot: (number) => port.postMessage({ hot: number }),
    /** Whether the client reads too slowly for anything more to be passed on. */
    isFull: () => Atomics.load(shared, FULL) === 1 || sent - Atomics.load(shared, PASSED) > MOST_UNDER_WAY,
    /** Tells what has not been told yet; the helper's, while it is there. */
    flush: undefined,
    /** What its marks have counted. */
    counts: undefined,
    /** Ends the agent's part in the main thread. */
    takeAway,
    /** Whether a program that `amber launch` holds before its first line may go on. */
    isLaunched: false,
    /** Whether such a program is to tell of each file of the project before it is compiled. */
    tellsFiles: true,
  };
  Object.defineProperty(globalThis, options.name, { value: way, configurable: true, enumerable: false });

  /** The agent tells what was on the way and leaves, so that Node does not wait for it aloud. */
  function onExit(code) {
    try {
      way.flush?.();
      port.postMessage({ exit: code, counts: way.counts?.() ?? [] });
      Atomics.wait(shared, GOODBYE, 0, LAST_WORDS);
      // Its leaving is carried out between two turns of whatever runs.
      for (let turn = 0; turn < 10_000; turn += 1) Object.is(turn, port);
    } catch {
      // The program ends as it would without us.
    }
  }
  process.once('exit', onExit);

  // The agent has left the engine; until then the end of the program is still to be waited for. Its thread may end only
  // when that has been carried out here, which the engine does between two turns: what it then tells a thread that is gone
  // would end the process.
  port.on('message', () => {
    process.removeListener('exit', onExit);
    setImmediate(() => setImmediate(() => port.close()));
  });
  port.unref();

  function takeAway() {
    if (globalThis[options.name] === way) {
      delete globalThis[options.name];
    }
  }

  if (options.closesInspector) {
    const inspector = require('node:inspector');
    const { readFileSync } = require('node:fs');
    /** How many are connected to the inspector (proc_net(5): state 01). */
    const clients = () => {
      const local = `:${Number(new URL(inspector.url()).port).toString(16).toUpperCase().padStart(4, '0')}`;
      const rows = readFileSync('/proc/self/net/tcp', 'latin1').split('\n').slice(1);
      return rows.map((row) => row.trim().split(/\s+/)).filter(([, at = '', , state]) => at.endsWith(local) && state === '01').length;
    };
    let tries = 0;
    const close = () => {
      try {
        tries += 1;
        if (inspector.url() === undefined) return;
        // `close` waits for clients to say goodbye, and one that is suspended would hold the program.
        if (clients() <= (tries === 1 ? 1 : 0)) inspector.close();
        else setImmediate(() => setTimeout(close, 50).unref());
      } catch {
        // Where the system does not tell who is there: as it stands.
        inspector.close();
      }
    };
    close();
  }
  return 'up';
})
