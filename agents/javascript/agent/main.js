'use strict';
/* The agent's thread in a Node program, started by boot.js in its main thread. */
const { workerData } = require('node:worker_threads');
const { Session } = require('./session.js');

const session = new Session(workerData);
session.open().catch(() => session.giveUp());
