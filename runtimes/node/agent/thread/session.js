'use strict';
/*
 * One agent: serves one client after the other, and watches over the main thread. When a client's connection ends, or a
 * client says nothing for too long, the main thread goes on and everything of ours is taken out of it, whatever it does.
 */
const { Endpoint } = require('./endpoint.js');
const { Engine } = require('./engine.js');
const { Guards } = require('./guard.js');
const { Stops } = require('./stops.js');
const { Wire } = require('./wire.js');

/** Milliseconds between looks at whether the client is silent. */
const CHECK_EVERY = 500;
/** The same that the end of the program waits for its last words to be read. */
const LAST_WORDS = 300;
/** The function of the helper in which the program stands between two turns (helper.js), and how long at most. */
const HOLD = '$amberHold';
const LONGEST_HOLD = 250;

class Session {
  #client;
  #waiting = [];
  #isLapsed = false;
  #heard = 0;
  #isPausing = false;
  #isEnding = false;
  #work = Promise.resolve();

  constructor({ port, shared, endpoint, names, silence, firstClient }) {
    this.port = port;
    this.shared = shared;
    this.names = names;
    this.silence = silence;
    this.firstClient = firstClient;
    this.engine = new Engine((event) => this.#onEvent(event));
    this.guards = new Guards(this.engine, names.helper, (scriptId) => this.#tell({ method: 'Amber.restored', params: { scriptId } }));
    this.stops = new Stops(this.engine, names.helper);
    this.endpoint = new Endpoint(endpoint);
    port.on('message', (message) => this.#onTold(message));
  }

  async open() {
    this.engine.open();
    await this.endpoint.open((socket) => this.#onConnection(socket));
    this.checking = setInterval(() => this.#check(), CHECK_EVERY);
    this.#endUnlessClient();
  }

  /** Nobody could ever connect: the run folder is not to be had. */
  giveUp() {
    this.#leaveEngine();
  }

  #endUnlessClient() {
    this.lonely = setTimeout(() => {
      if (this.#client === undefined) {
        this.#then(() => this.#end());
      }
    }, this.firstClient);
  }

  /** One thing after the other. */
  #then(work) {
    this.#work = this.#work.then(work).catch(() => undefined);
    return this.#work;
  }

  #onConnection(socket) {
    const wire = new Wire(
      socket,
      (message) => this.#onMessage(wire, message),
      (isFull) => wire === this.#client?.wire && this.#setFull(isFull),
    );
    socket.on('close', () => this.#onClosed(wire));
  }

  #setFull(isFull) {
    Atomics.store(this.shared, 0, isFull ? 1 : 0);
  }

  #onMessage(wire, message) {
    if (message.method === 'Amber.hello') {
      this.#greet(wire, message);
    } else if (wire === this.#client?.wire) {
      this.#heard = Date.now();
      if (this.#isLapsed) {
        // It was suspended, and learns what has become of it before anything else.
        this.#isLapsed = false;
        wire.send({ method: 'Amber.lapsed', params: {} });
      }
      void this.#serve(wire, message);
    } else {
      wire.send({ id: message.id, error: { message: 'say hello first' } });
    }
  }

  #greet(wire, { id, params: { pid, hold } }) {
    if (this.#isEnding) {
      wire.socket.destroy();
    } else if (this.#client === undefined) {
      this.#adopt({ wire, id, pid, hold });
    } else if (this.#client.isGone) {
      // What the one before has left is being put back.
      this.#waiting.push({ wire, id, pid, hold });
    } else {
      wire.send({ id, error: { message: `taken by ${this.#client.pid}` } });
      wire.socket.end();
    }
  }

  #adopt({ wire, id, pid, hold }) {
    clearTimeout(this.lonely);
    // A session in which something was being put back has told of its scripts to nobody.
    this.engine.close();
    this.#client = { wire, pid, isGone: false };
    this.#heard = Date.now();
    this.#setFull(false);
    this.guards.hold = hold ?? { milliseconds: 0, times: 0 };
    this.endpoint.describe({ pid, since: Math.floor(Date.now() / 1000) });
    wire.send({ id, result: { version: 1, folder: process.cwd() } });
  }

  async #serve(wire, { id, method, params = {} }) {
    if (method === 'Amber.leave') {
      this.#part(wire);
      return;
    }
    const answer = await this.#answer(method, params).then(
      (result) => ({ id, result }),
      (error) => ({ id, error: { message: error.message } }),
    );
    wire.send(answer);
  }

  async #answer(method, params) {
    switch (method) {
      case 'Amber.beat':
        return {};
      case 'Amber.keep':
        this.guards.of(params.thread).keep(params.scriptId, params.steps);
        return {};
      case 'Amber.restored':
        this.guards.of(params.thread).restored(params.scriptId);
        return {};
      case 'Amber.left':
        return { scripts: await this.guards.main.left() };
      case 'Amber.engineStop':
        this.stops.add(params.breakpointId, params.number);
        return {};
      default:
        if (method === 'Debugger.resume' || method.startsWith('Debugger.step')) {
          this.#setStepping(method !== 'Debugger.resume');
        }
        return await this.engine.post(method, params);
    }
  }

  #onEvent(event) {
    if (event.method === 'Debugger.paused') {
      void this.#onPaused(event);
    } else if (event.method === 'NodeRuntime.waitingForDisconnect') {
      this.#goodbye(0);
    } else if (!(event.method === 'Debugger.resumed' && this.#isPausing)) {
      this.#tell(event);
    }
  }

  /** By index 3 of what is shared the program's side knows whether the client steps. */
  #setStepping(isStepping) {
    Atomics.store(this.shared, 3, isStepping ? 1 : 0);
  }

  #tell(event) {
    const wire = this.#client?.wire;
    // What the program prints can be told again and again by a program that does nothing else.
    if (wire !== undefined && !(wire.isFull && event.method === 'Runtime.consoleAPICalled')) {
      wire.send(event);
    }
  }

  async #onPaused(event) {
    if (event.params.callFrames[0]?.functionName === HOLD) {
      // Whoever is to do something meanwhile may have been suspended or killed.
      setTimeout(() => this.#letGo(), LONGEST_HOLD);
    }
    if (!this.stops.isNew(event.params)) {
      this.#setStepping(false);
      this.#tell(event);
      return;
    }
    this.#isPausing = true;
    const isWanted = await this.stops.measure(event.params);
    this.#isPausing = false;
    if (isWanted) {
      this.#tell(event);
    } else {
      this.#isPausing = true;
      await this.engine.post('Debugger.resume').catch(() => undefined);
      this.#isPausing = false;
    }
  }

  #letGo() {
    if (this.engine.pausedIn === HOLD) {
      this.engine.post('Debugger.resume').catch(() => undefined);
    }
  }

  /** The program's side tells: hits as JSON, a breakpoint that costs too much, or that the program ends. */
  #onTold(message) {
    const wire = this.#client?.wire;
    if (typeof message === 'string') {
      Atomics.add(this.shared, 1, 1);
      wire?.sendLine(`{"method":"Amber.hits","params":${message}}`);
    } else if (message.hot !== undefined) {
      void this.stops.tooHot(message.hot);
      wire?.send({ method: 'Amber.hot', params: { number: message.hot } });
    } else if (message.exit !== undefined) {
      this.#goodbye(message.exit, message.counts);
    }
  }

  /** The program ends: the client has what was on the way, then the engine is left, then the program may go on. */
  #goodbye(code, counts) {
    const leave = () => {
      clearTimeout(late);
      this.#endEngine();
    };
    // A client that does not read cannot be waited for.
    const late = setTimeout(leave, LAST_WORDS);
    this.#isEnding = true;
    this.endpoint.close();
    const wire = this.#client?.wire;
    if (wire?.socket.writable) {
      wire.sendLine(JSON.stringify({ method: 'Amber.ended', params: { code, counts } }), leave);
    } else {
      leave();
    }
  }

  #check() {
    const isSilent = Date.now() - this.#heard > this.silence;
    if (this.#client !== undefined && !this.#client.isGone && !this.#isLapsed && isSilent) {
      this.#isLapsed = true;
      this.#then(async () => {
        await this.#takeOut();
        this.#resetEngine();
      });
    }
  }

  /** The program goes on, and is as it was; what cannot be put back yet is tried again. */
  async #takeOut() {
    await this.guards.release();
    this.stops.forget();
  }

  /** With the session with the engine go its breakpoints, and whatever else the client had it do. */
  #resetEngine() {
    this.engine.close();
    void this.guards.finish(() => this.#client !== undefined).then(() => this.#then(() => this.#end()));
  }

  #onClosed(wire) {
    this.#waiting = this.#waiting.filter((other) => other.wire !== wire);
    if (wire === this.#client?.wire && !this.#client.isGone && !this.#isEnding) {
      this.#part(wire);
    }
  }

  /** A client leaves, or has gone: everything is put back before it, and whoever comes next, hears of it. */
  #part(wire) {
    this.#client.isGone = true;
    this.#isLapsed = false;
    this.#then(async () => {
      await this.#takeOut();
      if (!this.guards.isClean) {
        wire.send({ method: 'Amber.remains', params: { scripts: this.guards.main.late } });
      }
      this.#client = undefined;
      this.endpoint.describe(null);
      const [next, ...others] = this.#waiting;
      this.#waiting = [];
      for (const { wire: other } of others) {
        other.socket.destroy();
      }
      if (next === undefined && this.guards.isClean) {
        await this.#end();
        wire.socket.end();
        return;
      }
      this.#resetEngine();
      wire.socket.end();
      if (next !== undefined) {
        this.#adopt(next);
      }
    });
  }

  /** Leaves the process as it would be without us; not while something is still to be put back. */
  async #end() {
    if (this.#isEnding || this.#client !== undefined || !this.guards.isClean) {
      return;
    }
    this.#isEnding = true;
    this.endpoint.close();
    clearInterval(this.checking);
    await this.engine.evaluate(`typeof ${this.names.way} === 'undefined' || ${this.names.way}.takeAway()`);
    this.#leaveEngine();
  }

  /** The thread ends when the main thread has closed the way to it (boot.js), and not before. */
  #leaveEngine() {
    this.#endEngine();
    this.port.postMessage('left');
  }

  /** From here on the end of the program has nobody to wait for. */
  #endEngine() {
    this.engine.end();
    Atomics.store(this.shared, 2, 1);
    Atomics.notify(this.shared, 2);
  }
}

module.exports = { Session };
