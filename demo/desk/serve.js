// Runs the desk service: node serve.js [PORT]. FARES_URL, TIDES_URL and SLIPS_URL name the other services.
'use strict';

const http = require('node:http');
const { answer } = require('./handlers');
const { counterFile } = require('./page');

const server = http.createServer(async (request, response) => {
  const file = counterFile(request);
  if (file !== undefined) {
    response.writeHead(200, { 'Content-Type': file.type });
    response.end(file.text);
    return;
  }
  const chunks = [];
  for await (const chunk of request) chunks.push(chunk);
  const { status, body } = await answer(request, Buffer.concat(chunks).toString('utf8'));
  const text = JSON.stringify(body);
  response.writeHead(status, { 'Content-Type': 'application/json', 'Content-Length': Buffer.byteLength(text) });
  response.end(text);
});

server.listen(Number(process.argv[2] ?? 0), '127.0.0.1', () => {
  console.log(`desk listens on http://127.0.0.1:${server.address().port}`);
});
