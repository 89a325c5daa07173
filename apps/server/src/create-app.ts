import 'reflect-metadata';
import { existsSync } from 'node:fs';
import type { Server } from 'node:http';
import { join, resolve } from 'node:path';
import { ValidationPipe } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { DocumentBuilder, SwaggerModule } from '@nestjs/swagger';
import { raw, type NextFunction, type Request, type Response } from 'express';
import { AppModule } from './app.module.js';
import type { ServerConfig } from './config.js';
import { ProblemFilter } from './problem.filter.js';
import { deviceListHandler, relayDevices } from './devices/device-relay.js';
import { StepsService } from './steps/steps.service.js';
import { BlobStore } from './storage/blob-store.js';
import { createUploadServer, UPLOAD_PATH } from './uploads/upload-server.js';

/** Builds the HTTP application: API, uploads, OpenAPI page, and the browser files with deep links. */
export async function createApp(config: ServerConfig): Promise<NestExpressApplication> {
  const app = await NestFactory.create<NestExpressApplication>(AppModule.configured(config), {
    logger: ['error', 'warn'],
    abortOnError: false,
  });
  app.useGlobalPipes(new ValidationPipe({ whitelist: true, forbidNonWhitelisted: true, transform: true }));
  app.useGlobalFilters(new ProblemFilter());
  app.enableShutdownHooks();
  app.use((_request: Request, response: Response, next: NextFunction) => {
    response.setHeader('Cross-Origin-Opener-Policy', 'same-origin');
    response.setHeader('Cross-Origin-Embedder-Policy', 'require-corp');
    response.setHeader('X-Content-Type-Options', 'nosniff');
    next();
  });
  const uploads = createUploadServer(config, app.get(BlobStore), app.get(StepsService));
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.path === UPLOAD_PATH || request.path.startsWith(`${UPLOAD_PATH}/`))
      void uploads.handle(request, response);
    else next();
  });
  app.use(deviceListHandler(config.devicesUrl));
  relayDevices(app.getHttpServer() as Server, config.devicesUrl);
  // Frames and selections come as plain bytes.
  for (const path of ['/api/captures', '/api/pieces/:id/selections'])
    app.use(path, raw({ type: 'application/octet-stream', limit: '24mb' }));
  SwaggerModule.setup('api/docs', app, () =>
    SwaggerModule.createDocument(app, new DocumentBuilder().setTitle('Amber Knit').setVersion('1').build()),
  );
  const web = resolve(config.webDir);
  if (existsSync(web)) {
    app.useStaticAssets(web, { index: false, maxAge: '1h' });
    app.use((request: Request, response: Response, next: NextFunction) => {
      if (request.method !== 'GET' || request.path.startsWith('/api')) return next();
      response.setHeader('Cache-Control', 'no-cache');
      response.sendFile(join(web, 'index.html'));
    });
  }
  return app;
}
