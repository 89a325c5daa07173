import { Controller, Get, Header, Param, ParseUUIDPipe, StreamableFile } from '@nestjs/common';
import { create as contentDisposition } from 'content-disposition';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { Needs } from '../accounts/rights.js';
import { reportHtml } from './report-html.js';
import { ReportsService } from './reports.service.js';

@ApiTags('Pieces')
@Controller('api/pieces/:id/report')
export class ReportsController {
  constructor(private readonly reports: ReportsService) {}

  @Get()
  @Needs('look')
  @Header('Content-Type', 'text/html; charset=utf-8')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'How the piece was made and what was measured, as one page to read, print and sign' })
  async html(@Param('id', ParseUUIDPipe) id: string): Promise<string> {
    return reportHtml(await this.reports.of(id));
  }

  @Get('pdf')
  @Needs('look')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'The same as PDF' })
  async pdf(@Param('id', ParseUUIDPipe) id: string): Promise<StreamableFile> {
    const report = await this.reports.of(id);
    // What writes it is large: only who wants one waits for it.
    const { reportPdf } = await import('./report-pdf.js');
    const bytes = await reportPdf(report);
    return new StreamableFile(bytes, {
      type: 'application/pdf',
      length: bytes.length,
      disposition: contentDisposition(`Report ${report.title}.pdf`),
    });
  }
}
