const { createServer } = require('node:http');
const { quote } = require('./passage');

createServer((request, response) =>
  response.end(String(quote(Number(request.url.split('/').at(-1))))),
).listen(Number(process.argv[2]), '127.0.0.1');
