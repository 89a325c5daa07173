import { pipeline } from 'node:stream/promises';
import { Controller, Get, Param, ParseUUIDPipe, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { create as contentDisposition } from 'content-disposition';
import type { Response } from 'express';
import { Needs } from '../accounts/rights.js';
import { ArchiveWriter } from './archive-writer.js';

@ApiTags('Pieces')
@Controller('api/pieces/:id/archive')
export class ArchivesController {
  constructor(private readonly writer: ArchiveWriter) {}

  @Get()
  @Needs('look')
  @ApiOperation({
    summary: 'Everything of a piece in one zip: raw data, results, ledger, checksums; it can be brought in again',
  })
  async archive(@Param('id', ParseUUIDPipe) id: string, @Res() response: Response): Promise<void> {
    const content = await this.writer.content(id);
    response.set({
      'Content-Type': 'application/zip',
      'Cache-Control': 'no-store',
      'Content-Disposition': contentDisposition(`${content.piece.name}.zip`),
    });
    // Whoever goes away in the middle is no fault of the server; a fault ends the download, which the browser then tells.
    await pipeline(this.writer.stream(content), response).catch(() => response.destroy());
  }
}
