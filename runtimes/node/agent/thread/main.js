'use strict';
/* The agent's thread in a Node program, started by boot.js in its main thread. */
const { workerData } = require('node:worker_threads');
const { Session } = require('./session.js');

// Whatever fails, what is in the program has to be taken out of it again: this thread lives on.
process.on('unhandledRejection', () => undefined);
process.on('uncaughtException', () => undefined);

const session = new Session(workerData);
session.open().catch(() => session.giveUp());
