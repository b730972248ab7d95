import 'reflect-metadata';
import { Controller, Get, Header, Module, Param } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import { quote } from './passage.ts';

@Controller('quotes')
class QuotesController {
  @Get(':number')
  @Header('content-type', 'text/plain')
  show(@Param('number') number: string): string {
    return String(quote(Number(number)));
  }
}

@Module({ controllers: [QuotesController] })
class Office {}

const app = await NestFactory.create(Office, { logger: false });
await app.listen(Number(process.argv[2]), '127.0.0.1');
