import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { Controller, Get, Header, NotFoundException, Param, ParseEnumPipe, StreamableFile } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { HelpView, Stage } from '@amber-knit/contracts';
import { STAGES } from '@amber-knit/operations';
import { Needs } from '../accounts/rights.js';

const DOCS = new URL('../../../../docs/', import.meta.url);
const aStage = new ParseEnumPipe(Object.fromEntries(STAGES.map((s) => [s, s])));

/** The pages of docs/help: what a newcomer reads there and at the bench is the same. */
@ApiTags('Help')
@Controller('api/help/:stage')
export class HelpController {
  @Get()
  @Needs('use')
  @Header('Cache-Control', 'no-cache')
  @ApiOperation({ summary: 'What a stage is for, common mistakes, and what an expert looks at, as Markdown' })
  async page(@Param('stage', aStage) stage: Stage): Promise<HelpView> {
    return { stage, markdown: await readFile(there(`help/${stage}.md`), 'utf8') };
  }

  @Get('picture')
  @Needs('use')
  @Header('Cache-Control', 'max-age=3600')
  @Header('Content-Type', 'image/png')
  @ApiOperation({ summary: 'The stage as it looks with the demo piece, a PNG' })
  async picture(@Param('stage', aStage) stage: Stage): Promise<StreamableFile> {
    return new StreamableFile(await readFile(there(`screenshots/${stage}.png`)), { type: 'image/png' });
  }
}

/** @throws NotFoundException where the application was taken without its docs */
function there(path: string): string {
  const file = fileURLToPath(new URL(path, DOCS));
  if (!existsSync(file)) throw new NotFoundException('There is no such page of help here.');
  return file;
}
