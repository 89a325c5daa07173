import { Controller, Get, Headers, Res, UnauthorizedException } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Response } from 'express';
import { AccountsMode } from '../accounts/rights.service.js';
import { Needs } from '../accounts/rights.js';
import { hashToken } from '../accounts/tokens.js';
import { MetricsService } from './metrics.service.js';

/** The key that whoever watches the server shows; empty: none. */
export class MetricsKey {
  constructor(readonly token: string) {}
}

@ApiTags('Health')
@Controller('metrics')
export class MetricsController {
  constructor(
    private readonly metrics: MetricsService,
    private readonly key: MetricsKey,
    private readonly mode: AccountsMode,
  ) {}

  /** @throws UnauthorizedException without the key, where there is one or where there are accounts */
  @Get()
  @Needs('open')
  @ApiOperation({ summary: 'Figures of the server, in the text format of Prometheus' })
  async text(
    @Headers('authorization') authorization: string | undefined,
    @Res({ passthrough: true }) response: Response,
  ): Promise<string> {
    const { token } = this.key;
    // Hashes take the same time to compare, whatever was guessed.
    const right = token ? hashToken(authorization ?? '') === hashToken(`Bearer ${token}`) : !this.mode.on;
    if (!right) throw new UnauthorizedException('Metrics ask for the key of METRICS_TOKEN, as a Bearer token.');
    response.type(this.metrics.contentType);
    return this.metrics.text();
  }
}
