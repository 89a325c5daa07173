import { pipeline } from 'node:stream/promises';
import { Controller, Get, Param, ParseUUIDPipe, Query, Res } from '@nestjs/common';
import { ApiOperation, ApiQuery, ApiTags } from '@nestjs/swagger';
import { create as contentDisposition } from 'content-disposition';
import type { Response } from 'express';
import { Needs } from '../accounts/rights.js';
import { DeliveredFiles } from './delivered-files.js';

@ApiTags('Pieces')
@Controller('api/pieces/:id/delivered')
export class DeliveredController {
  constructor(private readonly delivered: DeliveredFiles) {}

  @Get()
  @Needs('look')
  @ApiOperation({ summary: 'The delivered files of a piece in one zip: the newest of each name, or those chosen' })
  @ApiQuery({ name: 'only', required: false, description: 'Artifacts, with commas in between' })
  async zip(
    @Param('id', ParseUUIDPipe) id: string,
    @Query('only') only: unknown,
    @Res() response: Response,
  ): Promise<void> {
    const chosen = typeof only === 'string' ? only.split(',').filter(Boolean) : [];
    const { piece, files } = await this.delivered.of(id, chosen);
    response.set({
      'Content-Type': 'application/zip',
      'Cache-Control': 'no-store',
      'Content-Disposition': contentDisposition(`${piece} files.zip`),
    });
    // Whoever goes away in the middle is no fault of the server; a fault ends the download, which the browser then tells.
    await pipeline(this.delivered.stream(files), response).catch(() => response.destroy());
  }
}
