// The counter's page: files of the folder `counter`, and nothing else.
'use strict';

const { readFileSync } = require('node:fs');
const { join } = require('node:path');

const FILES = {
  '/counter': ['index.html', 'text/html; charset=utf-8'],
  '/counter/counter.js': ['counter.js', 'text/javascript'],
  '/counter/takings.js': ['takings.js', 'text/javascript'],
};

/** The file that a request asks for, and its type; undefined where it asks for none of the page's. */
function counterFile({ method, url }) {
  const { pathname } = new URL(url, 'http://desk');
  const [name, type] = (method === 'GET' && FILES[pathname]) || [];
  return name && { type, text: readFileSync(join(__dirname, 'counter', name)) };
}

module.exports = { counterFile };
