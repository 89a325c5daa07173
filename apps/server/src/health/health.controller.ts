import { Controller, Get, Header, ServiceUnavailableException } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { DataSource } from 'typeorm';
import { Needs } from '../accounts/rights.js';
import { DiskSpace } from '../storage/disk-space.js';

/** For whoever looks after the server: is it alive, can it work. */
@ApiTags('Health')
@Controller()
export class HealthController {
  constructor(
    private readonly db: DataSource,
    private readonly disk: DiskSpace,
  ) {}

  @Get('health')
  @Needs('open')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'The server runs' })
  health(): { status: string } {
    return { status: 'alive' };
  }

  /** @throws ServiceUnavailableException with the reason */
  @Get('ready')
  @Needs('open')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'The server can work: the database answers, and there is room on the disk' })
  async ready(): Promise<{ status: string }> {
    await this.db.query('SELECT 1').catch(() => {
      throw new ServiceUnavailableException('The database does not answer.');
    });
    await this.disk.assertRoomFor(0).catch((e: Error) => {
      throw new ServiceUnavailableException(e.message);
    });
    return { status: 'ready' };
  }
}
