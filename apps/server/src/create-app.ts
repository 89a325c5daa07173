import 'reflect-metadata';
import { existsSync } from 'node:fs';
import type { Server } from 'node:http';
import { join, resolve } from 'node:path';
import { ValidationPipe } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import { DocumentBuilder, SwaggerModule } from '@nestjs/swagger';
import compression from 'compression';
import { json, raw, type NextFunction, type Request, type Response } from 'express';
import { mayDo } from '@amber-knit/contracts';
import { needs } from './accounts/rights.guard.js';
import { RightsService } from './accounts/rights.service.js';
import { SessionsService } from './accounts/sessions.service.js';
import { knowWhoAsks, whoAsks } from './accounts/who-asks.js';
import { AppModule } from './app.module.js';
import { ArchiveReader } from './archives/archive-reader.js';
import type { ServerConfig } from './config.js';
import { ownRequestsOnly, securityHeaders, storableTextsOnly } from './http/guard.js';
import { log } from './log/log.js';
import { logRequests } from './log/request-log.js';
import { MetricsService } from './metrics/metrics.service.js';
import { prepareSchema } from './database/data-source.js';
import { ProblemFilter } from './problem.filter.js';
import { deviceListHandler, DEVICES_PATH, relayDevices } from './devices/device-relay.js';
import { isSharedPage, sharedPageHeaders } from './shared-views/shared-listener.js';
import { StepsService } from './steps/steps.service.js';
import { BlobStore } from './storage/blob-store.js';
import { DataSource } from 'typeorm';
import { DiskSpace } from './storage/disk-space.js';
import { UploadFinisher } from './uploads/upload-finisher.js';
import { UPLOAD_PATH, uploadHandler } from './uploads/upload-server.js';

/** Builds the HTTP application: API, uploads, OpenAPI page, and the browser files with deep links. */
export async function createApp(config: ServerConfig): Promise<NestExpressApplication> {
  await prepareSchema(config.databaseUrl);
  const app = await NestFactory.create<NestExpressApplication>(AppModule.configured(config), {
    logger: ['error', 'warn'],
    abortOnError: false,
    bodyParser: false,
  });
  app.useGlobalPipes(new ValidationPipe({ whitelist: true, forbidNonWhitelisted: true, transform: true }));
  app.useGlobalFilters(new ProblemFilter());
  app.enableShutdownHooks();
  app.use(logRequests(log));
  app.use(app.get(MetricsService).watch());
  app.use(securityHeaders());
  app.use(ownRequestsOnly(config.allowedHosts));
  // A proxy on this machine tells for whom it asks.
  app.set('trust proxy', 'loopback');
  const [rights, sessions] = [app.get(RightsService), app.get(SessionsService)];
  const { mode } = rights;
  app.use(knowWhoAsks(mode, sessions));
  app.use(['/api/docs', '/api/docs-json', '/api/docs-yaml'], needs('use', rights));
  app.use(UPLOAD_PATH, needs('measure', rights));
  app.use(DEVICES_PATH, needs('begin', rights));
  // Frames and selections come as plain bytes; names of some thousand frames are a megabyte.
  for (const path of ['/api/captures', '/api/pieces/:id/selections'])
    app.use(path, raw({ type: 'application/octet-stream', limit: '24mb' }));
  app.use(json({ limit: '8mb' }));
  app.use(storableTextsOnly);
  const finisher = new UploadFinisher(
    app.get(DataSource),
    app.get(BlobStore),
    app.get(StepsService),
    config.uploadDir,
    app.get(ArchiveReader),
  );
  app.use(uploadHandler(config, finisher, app.get(DiskSpace), rights));
  app.use(deviceListHandler(config.devicesUrl));
  relayDevices(app.getHttpServer() as Server, config, async ({ headers }) => {
    const { person } = await whoAsks(headers, mode, sessions);
    return !mode.on || (person !== undefined && mayDo(person, 'begin'));
  });
  SwaggerModule.setup('api/docs', app, () =>
    SwaggerModule.createDocument(app, new DocumentBuilder().setTitle('Amber Knit').setVersion('1').build()),
  );
  const web = resolve(config.webDir);
  if (existsSync(web)) {
    // Programs and styles become a third; stored data is packed as far as it goes.
    app.use('/assets', compression());
    app.useStaticAssets(web, { index: false, maxAge: '1h' });
    app.use((request: Request, response: Response, next: NextFunction) => {
      // Addresses of pages are the browser part's own; files and calls are there or they are not.
      if (request.method !== 'GET' || /^\/(api|health|ready|metrics)(\/|$)|\.\w+$/i.test(request.path)) return next();
      response.setHeader('Cache-Control', 'no-cache');
      // Shared views are a page of their own, for whoever has the link and not for search engines.
      const shared = isSharedPage(request.path);
      if (shared) response.set(sharedPageHeaders(request.path));
      response.sendFile(join(web, shared ? 'shared.html' : 'index.html'));
    });
  }
  return app;
}
