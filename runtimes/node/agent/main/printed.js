/*
 * What a Node program writes to its standard streams, told line by line. It is one expression, evaluated together with
 * helper.js.
 */
((require, served, print) => {
  'use strict';
  const process = require('node:process');
  const { Reflect } = globalThis;
  const LONGEST_LINE = 2_000;
  return () => {
    for (const name of ['stdout', 'stderr']) {
      const stream = process[name];
      const before = stream.write;
      let begun = '';
      served.replace(stream, 'write', function write(chunk) {
        try {
          const text = typeof chunk === 'string' ? chunk : chunk?.toString?.('utf8');
          const lines = (begun + text).split('\n');
          begun = lines.pop().slice(0, LONGEST_LINE);
          lines.forEach((line) => print(name, line.slice(0, LONGEST_LINE)));
        } catch {
          // What is printed is the program's; whether it can be told is not.
        }
        return Reflect.apply(before, this, arguments);
      });
    }
  };
})
