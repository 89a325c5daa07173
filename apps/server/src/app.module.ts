import { join } from 'node:path';
import { Module, type DynamicModule } from '@nestjs/common';
import { TypeOrmModule } from '@nestjs/typeorm';
import { DataSource } from 'typeorm';
import { APP_GUARD } from '@nestjs/core';
import { PeopleController } from './accounts/people.controller.js';
import { PeopleService } from './accounts/people.service.js';
import { RightsGuard } from './accounts/rights.guard.js';
import { AccountsMode, RightsService } from './accounts/rights.service.js';
import { SessionController } from './accounts/session.controller.js';
import { SessionsService } from './accounts/sessions.service.js';
import { ArchiveReader } from './archives/archive-reader.js';
import { ArchiveWriter } from './archives/archive-writer.js';
import { ArchivesController } from './archives/archives.controller.js';
import { DeliveredController } from './archives/delivered.controller.js';
import { DeliveredFiles } from './archives/delivered-files.js';
import { AwayController } from './away/away.controller.js';
import { AwayService } from './away/away.service.js';
import { CapturesController } from './captures/captures.controller.js';
import { CapturesService } from './captures/captures.service.js';
import type { ServerConfig } from './config.js';
import { dataSourceOptions } from './database/data-source.js';
import { EventsController } from './events/events.controller.js';
import { EventsService } from './events/events.service.js';
import { GuidedController, RecipesController } from './guided/guided.controller.js';
import { GuidedService } from './guided/guided.service.js';
import { HealthController } from './health/health.controller.js';
import { HelpController } from './help/help.controller.js';
import { MetricsController, MetricsKey } from './metrics/metrics.controller.js';
import { MetricsService } from './metrics/metrics.service.js';
import { PieceStore } from './pieces/piece-store.js';
import { PiecesController } from './pieces/pieces.controller.js';
import { PieceReader } from './pieces/piece-reader.js';
import { PiecesService } from './pieces/pieces.service.js';
import { PresenceController } from './presence/presence.controller.js';
import { PresenceService } from './presence/presence.service.js';
import { RemarksController } from './remarks/remarks.controller.js';
import { RemarksService } from './remarks/remarks.service.js';
import { ReportsController } from './reports/reports.controller.js';
import { ReportsService } from './reports/reports.service.js';
import { SelectionsController } from './selections/selections.controller.js';
import { SelectionsService } from './selections/selections.service.js';
import { SharedPageController } from './shared-views/shared-page.controller.js';
import { SharedViewController } from './shared-views/shared-view.controller.js';
import { SharedViewService } from './shared-views/shared-view.service.js';
import { StepQueue } from './steps/step-queue.js';
import { StepsController } from './steps/steps.controller.js';
import { StepsService } from './steps/steps.service.js';
import { BlobStore } from './storage/blob-store.js';
import { DiskSpace } from './storage/disk-space.js';

@Module({})
export class AppModule {
  static configured(config: ServerConfig): DynamicModule {
    return {
      module: AppModule,
      imports: [TypeOrmModule.forRoot({ ...dataSourceOptions(config.databaseUrl), retryAttempts: 0 })],
      controllers: [
        PiecesController,
        AwayController,
        StepsController,
        GuidedController,
        RecipesController,
        CapturesController,
        SelectionsController,
        EventsController,
        HealthController,
        HelpController,
        MetricsController,
        ReportsController,
        ArchivesController,
        DeliveredController,
        SharedViewController,
        SharedPageController,
        SessionController,
        RemarksController,
        PresenceController,
        PeopleController,
      ],
      providers: [
        { provide: BlobStore, useFactory: (db: DataSource) => new BlobStore(db), inject: [DataSource] },
        {
          provide: PieceStore,
          useFactory: (db: DataSource, blobs: BlobStore) => new PieceStore(db, blobs),
          inject: [DataSource, BlobStore],
        },
        { provide: StepQueue, useFactory: (db: DataSource) => new StepQueue(db), inject: [DataSource] },
        { provide: AccountsMode, useValue: new AccountsMode(config.accounts) },
        RightsService,
        { provide: MetricsKey, useValue: new MetricsKey(config.metricsToken) },
        MetricsService,
        { provide: APP_GUARD, useClass: RightsGuard },
        SessionsService,
        RemarksService,
        PresenceService,
        PeopleService,
        PieceReader,
        PiecesService,
        AwayService,
        StepsService,
        {
          provide: DiskSpace,
          useValue: new DiskSpace(config.uploadDir, config.keptFreeBytes),
        },
        {
          provide: CapturesService,
          useFactory: (db: DataSource, blobs: BlobStore, steps: StepsService, pieces: PiecesService, disk: DiskSpace) =>
            new CapturesService(db, blobs, steps, pieces, disk, join(config.uploadDir, 'spool')),
          inject: [DataSource, BlobStore, StepsService, PiecesService, DiskSpace],
        },
        ArchiveReader,
        ArchiveWriter,
        DeliveredFiles,
        SelectionsService,
        {
          provide: SharedViewService,
          useFactory: (db: DataSource, store: PieceStore) => new SharedViewService(db, store, config.sharedOrigin),
          inject: [DataSource, PieceStore],
        },
        ReportsService,
        EventsService,
        GuidedService,
      ],
    };
  }
}
