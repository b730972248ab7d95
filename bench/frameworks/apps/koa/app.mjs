import Koa from 'koa';
import { quote } from './passage.mjs';

new Koa()
  .use(async (context) => {
    await new Promise(setImmediate);
    context.body = String(quote(Number(context.path.split('/').at(-1))));
  })
  .listen(Number(process.argv[2]), '127.0.0.1');
