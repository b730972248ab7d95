// Serves `handle(path, body, headers)` of app.js in the folder it runs in; prints its port.
const { createServer } = require('node:http');
const { join } = require('node:path');
const { handle } = require(join(process.cwd(), 'app.js'));

const server = createServer(async (request, response) => {
  const chunks = [];
  for await (const chunk of request) {
    chunks.push(chunk);
  }
  try {
    const answer = await handle(
      request.url,
      JSON.parse(Buffer.concat(chunks).toString() || '{}'),
      request.headers,
    );
    response.end(JSON.stringify(answer));
  } catch (error) {
    response.statusCode = 500;
    response.end(JSON.stringify({ error: String(error) }));
  }
});
server.listen(0, '127.0.0.1', () => console.log(server.address().port));
