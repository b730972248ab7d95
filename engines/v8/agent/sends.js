/*
 * Marks where the program sends requests: what goes out by the clients that the runtime knows (clients.js) is compared with
 * them. It is one expression, evaluated together with helper.js, and puts everything back that it has replaced.
 */
((clients, veiled) => {
  'use strict';
  const { Object, JSON, Reflect, RegExp, String } = globalThis;
  /** The marks: `run` computes what one does, where that needs nothing but what is sent, and says whether it is to stop. */
  let wanted = [];
  let undos;
  /** What is sent where an expression is computed, or the program stands still; and the marks for which it does. */
  let sending;
  let due = [];

  function replace(object, name, make) {
    const had = Object.getOwnPropertyDescriptor(object, name);
    const before = object[name];
    if (typeof before !== 'function' || (had !== undefined && !('value' in had && had.configurable))) {
      return;
    }
    const value = Object.defineProperty(make(before), 'name', { value: before.name });
    Object.defineProperty(object, name, { value, writable: true, configurable: true, enumerable: had?.enumerable ?? false });
    undos.push(() => {
      // Whoever has replaced ours since keeps what is theirs.
      if (object[name] === value) {
        delete object[name];
        if (had !== undefined) {
          Object.defineProperty(object, name, had);
        }
      }
    });
  }

  /** A request is about to be sent, or has been answered: computes what marks are for it, and stands still where one is to. */
  function reached(made, isAnswered) {
    const those = wanted.filter(
      (mark) =>
        mark.isAnswered === isAnswered && (mark.method === '*' || mark.method === made.method) && mark.address.test(made.url),
    );
    if (those.length === 0) {
      return;
    }
    const before = sending;
    sending = made;
    try {
      due = those.filter(({ run }) => run === null || run()).map(({ id }) => id);
      if (due.length > 0) {
        $amberSends();
      }
    } finally {
      sending = before;
      due = [];
    }
  }

  // The engine tells by its name where the program stands.
  function $amberSends() {
    debugger;
  }

  const wantsAnswers = () => wanted.some(({ isAnswered }) => isAnswered);

  const toldOf = {
    /** What is sent, or undefined where it cannot be read. `make` gives method, url, headers as pairs, and the body. */
    begins(make) {
      try {
        const { method, url, headers, body } = make();
        const byName = {};
        for (const [name, value] of headers) {
          byName[String(name).toLowerCase()] = String(value);
        }
        const made = { method: String(method).toUpperCase(), url: String(url), headers: byName, body: read(body, byName), status: undefined };
        reached(made, false);
        return made;
      } catch {
        // What the program sends goes out all the same.
        return undefined;
      }
    },
    answered(made, status) {
      if (made !== undefined) {
        made.status = status;
        reached(made, true);
      }
    },
    /** Whether anybody asks for answers. */
    wantsAnswers,
    /** Watches `fetch`; `describe` says what a call of it sends. The promise of the answer is passed on as it is where nobody asks. */
    watchFetch(describe) {
      replace(
        globalThis,
        'fetch',
        (before) =>
          function (input, init) {
            const made = toldOf.begins(() => describe(input, init));
            const answer = Reflect.apply(before, this ?? globalThis, arguments);
            const noting = (response) => {
              toldOf.answered(made, response.status);
              return response;
            };
            return wantsAnswers() ? answer.then(noting) : answer;
          },
      );
    },
  };

  /** A body that is there as a whole, JSON as what it says; of a stream nothing is read. */
  function read(body, headers) {
    if (typeof body !== 'string') {
      return body;
    }
    if (/[/+]json\b/.test(headers['content-type'] ?? '')) {
      try {
        return JSON.parse(body);
      } catch {
        // The text says what is wrong with it.
      }
    }
    return body === '' ? undefined : body;
  }

  function undo() {
    for (const step of (undos ?? []).splice(0).reverse()) {
      step();
    }
    undos = undefined;
  }

  return {
    /** These are the marks from now on: [id, method, address, whether they ask for the answer, what they do]. */
    mark(rows) {
      wanted = rows.map(([id, method, address, isAnswered, run]) => ({ id, method, address: new RegExp(address, 's'), isAnswered, run }));
      if (wanted.length === 0) {
        undo();
      } else if (undos === undefined) {
        undos = [];
        clients(toldOf, replace);
      }
    },
    /**
     * The marks for which the program stands still, and those of them that are to stop. `runs`: what those do that name more
     * than what is sent, in the frame that sends it.
     */
    due: (runs) => [due, due.filter((id) => !Object.hasOwn(runs, id) || runs[id]())],
    /** `sent` in an expression, where the program has nothing of that name. `isShown`: what it gives is told. */
    sent(isShown) {
      if (sending === undefined) {
        throw new Error('no request is sent here');
      }
      return isShown ? { ...sending, headers: veiled(sending.headers, 'headers'), body: veiled(sending.body, 'body') } : sending;
    },
    /** What is sent where the program stands still; undefined where nothing is. */
    shown: () => sending && Object.fromEntries(Object.entries(sending).filter(([, value]) => value !== undefined)),
    undo,
  };
})
