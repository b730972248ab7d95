const express = require('express');
const { quote } = require('./passage');

express()
  .get('/quotes/:number', (request, response) => response.send(String(quote(Number(request.params.number)))))
  .listen(Number(process.argv[2]), '127.0.0.1');
