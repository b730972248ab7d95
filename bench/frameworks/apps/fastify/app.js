const { quote } = require('./passage');

const app = require('fastify')();
app.get('/quotes/:number', async ({ params }) => String(quote(Number(params.number))));
app.listen({ port: Number(process.argv[2]), host: '127.0.0.1' });
