import { Controller, Get, Header, Param, ParseUUIDPipe } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { Needs } from '../accounts/rights.js';
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
  html(@Param('id', ParseUUIDPipe) id: string): Promise<string> {
    return this.reports.html(id);
  }
}
