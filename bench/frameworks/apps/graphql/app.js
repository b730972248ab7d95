const { createServer } = require('node:http');
const { buildSchema, graphql } = require('graphql');
const { quote } = require('./passage');

const schema = buildSchema('type Query { quote(number: Int!): Int }');
const rootValue = { quote: async ({ number }) => quote(number) };
createServer(async (request, response) => {
  const source = `{ quote(number: ${request.url.split('/').at(-1)}) }`;
  const { data } = await graphql({ schema, source, rootValue });
  response.end(String(data.quote));
}).listen(Number(process.argv[2]), '127.0.0.1');
