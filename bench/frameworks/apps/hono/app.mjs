import { serve } from '@hono/node-server';
import { Hono } from 'hono';
import { quote } from './passage.mjs';

const app = new Hono();
app.get('/quotes/:number', (context) => context.text(String(quote(Number(context.req.param('number'))))));
serve({ fetch: app.fetch, port: Number(process.argv[2]), hostname: '127.0.0.1' });
