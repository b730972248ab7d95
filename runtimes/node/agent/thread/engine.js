'use strict';
/* The session with the engine of the main thread (V8's inspector protocol), held by this thread. */
const { Session } = require('node:inspector');
const { setFlagsFromString } = require('node:v8');
const { threadId } = require('node:worker_threads');

/** Address of the scripts that conditions are: the engine tells of each computation of one. */
const CONDITION = 'amber:condition';
/** What we have computed says by its address that it is ours: the engine tells its other clients of it too. */
const ADDRESS = '\n//# sourceURL=amber:once';
/** What the engine says where it takes no changes of code (V8, v8-debugger-agent-impl.cc). */
const NO_EDITS = 'no longer available';
/** Numbers of our own messages to worker threads of the program; those of a client are lower. */
const OURS = 1_000_000_000;

class Engine {
  #session;
  #isOver = false;
  #edits = 0;
  /** Whether the main thread is paused, and the name of the function that it is in. */
  pausedIn = undefined;
  /** Whether the engine's debugger is enabled in this session: it has then told of every script. */
  isDebugging = false;
  #id = OURS;
  /** Our messages to worker threads that are not answered yet, by number, and the sessions with those threads. */
  #asked = new Map();
  #threads = new Set();

  /** @param onEvent called with every event of the engine that is for a client */
  constructor(onEvent) {
    this.onEvent = onEvent;
  }

  open() {
    if (this.#session === undefined) {
      this.#session = new Session();
      this.#session.connectToMainThread();
      this.#session.on('inspectorNotification', (event) => this.#told(event));
      // A program that has run to its end is kept by Node for as long as a session is there.
      this.post('NodeRuntime.notifyWhenWaitingForDisconnect', { enabled: true }).catch(() => undefined);
    }
  }

  #told({ method, params }) {
    switch (method) {
      case 'Debugger.scriptParsed':
        if (params.url === CONDITION) return;
        break;
      case 'Debugger.paused':
        this.pausedIn = params.callFrames[0]?.functionName ?? '';
        break;
      case 'Debugger.resumed':
        this.pausedIn = undefined;
        break;
      case 'NodeWorker.attachedToWorker':
        // Its `workerId` counts sessions; the number of the thread is in the title.
        if (params.workerInfo.title.startsWith(`[worker ${threadId}]`)) {
          // This very thread is none of the program's.
          this.post('NodeWorker.detach', { sessionId: params.sessionId }).catch(() => undefined);
          return;
        }
        this.#threads.add(params.sessionId);
        break;
      case 'NodeWorker.detachedFromWorker':
        this.#threads.delete(params.sessionId);
        break;
      case 'NodeWorker.receivedMessageFromWorker':
        if (this.#isOurs(params.message)) return;
        break;
    }
    this.onEvent({ method, params });
  }

  #isOurs(text) {
    if (this.#asked.size === 0) {
      return false;
    }
    const { id, result, error } = JSON.parse(text);
    const asked = this.#asked.get(id);
    this.#asked.delete(id);
    if (error) {
      asked?.reject(new Error(error.message));
    } else {
      asked?.resolve(result);
    }
    return asked !== undefined;
  }

  /** Whether a worker thread of the program can be reached. */
  hasThread(sessionId) {
    return this.#threads.has(sessionId);
  }

  /** The same as `post`, to a worker thread of the program. */
  postTo(sessionId, method, params = {}) {
    const post = () => this.#postTo(sessionId, method, params);
    return method === 'Debugger.setScriptSource' ? this.#edit(post) : post();
  }

  #postTo(sessionId, method, params) {
    this.#id += 1;
    const id = this.#id;
    // The way there loses messages with characters outside ASCII; JSON can do without them.
    const message = JSON.stringify({ id, method, params }).replace(
      /[\u0080-\uffff]/g,
      (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, '0')}`,
    );
    return new Promise((resolve, reject) => {
      this.#asked.set(id, { resolve, reject });
      this.post('NodeWorker.sendMessageToWorker', { sessionId, message }).catch(reject);
    });
  }

  /** @returns what the engine answers @throws Error with its words */
  post(method, params = {}) {
    return method === 'Debugger.setScriptSource' ? this.#edit(() => this.#post(method, params)) : this.#post(method, params);
  }

  /** From V8 14 on, which Node 26 has, code is changed only where a flag allows it. All threads of a process share it. */
  async #edit(post) {
    try {
      return await post();
    } catch (error) {
      if (!error.message.includes(NO_EDITS)) throw error;
    }
    this.#edits += 1;
    setFlagsFromString('--inspector-live-edit');
    try {
      return await post();
    } finally {
      this.#edits -= 1;
      if (this.#edits === 0) setFlagsFromString('--no-inspector-live-edit');
    }
  }

  #post(method, params) {
    if (this.#isOver) {
      return Promise.reject(new Error('the session has ended'));
    }
    this.open();
    if (method === 'Debugger.enable' || method === 'Debugger.disable') {
      this.isDebugging = method === 'Debugger.enable';
    }
    return new Promise((resolve, reject) => {
      this.#session.post(method, params, (error, result) => {
        if (error) {
          reject(new Error(error.message.replace(/^Inspector error -?\d+: /, '')));
        } else {
          resolve(result);
        }
      });
    });
  }

  /** Evaluates an expression of ours in the main thread; undefined where it raises or cannot be had. */
  async evaluate(expression, more = {}) {
    try {
      const args = { expression: expression + ADDRESS, silent: true, returnByValue: true, ...more };
      const { result, exceptionDetails } = await this.post('Runtime.evaluate', args);
      return exceptionDetails ? undefined : result.value;
    } catch {
      return undefined;
    }
  }

  /** Ends the session for good: the program comes to its end, or we do, and would be kept by another one. */
  end() {
    this.#isOver = true;
    this.close();
  }

  /** Ends the session: the engine resumes what is paused and forgets every breakpoint. */
  close() {
    this.#session?.disconnect();
    this.#session = undefined;
    this.pausedIn = undefined;
    this.isDebugging = false;
    this.#threads.clear();
    for (const { reject } of this.#asked.values()) {
      reject(new Error('the session has ended'));
    }
    this.#asked.clear();
  }
}

module.exports = { Engine, ADDRESS };
