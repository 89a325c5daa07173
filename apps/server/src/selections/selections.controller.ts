import {
  BadRequestException,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseUUIDPipe,
  Put,
  Req,
  StreamableFile,
} from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { Needs } from '../accounts/rights.js';
import { SelectionsService } from './selections.service.js';

const LONGEST_NAME = 60;

@ApiTags('Selections')
@Controller('api/pieces/:id/selections')
export class SelectionsController {
  constructor(private readonly selections: SelectionsService) {}

  @Get()
  @Needs('look')
  @ApiOperation({ summary: 'Names of the selections kept with a piece, the oldest first' })
  names(@Param('id', ParseUUIDPipe) id: string): Promise<string[]> {
    return this.selections.names(id);
  }

  @Get(':name')
  @Needs('look')
  @ApiOperation({ summary: 'The bits of a selection (a `selection` bundle, docs/formats.md)' })
  async bytes(@Param('id', ParseUUIDPipe) id: string, @Param('name') name: string): Promise<StreamableFile> {
    return new StreamableFile(await this.selections.bytes(id, name), { type: 'application/octet-stream' });
  }

  @Put(':name')
  @Needs('work', 'piece')
  @HttpCode(204)
  @ApiOperation({ summary: 'Keeps a selection by name' })
  async keep(
    @Param('id', ParseUUIDPipe) id: string,
    @Param('name') name: string,
    @Req() request: Request,
  ): Promise<void> {
    const body: unknown = request.body;
    if (!Buffer.isBuffer(body)) throw new BadRequestException('Send the bits of the selection as plain bytes.');
    if (name.trim() === '' || name.length > LONGEST_NAME)
      throw new BadRequestException(`A name has 1 to ${LONGEST_NAME} characters.`);
    await this.selections.keep(id, name, body);
  }

  @Delete(':name')
  @Needs('work', 'piece')
  @HttpCode(204)
  @ApiOperation({ summary: 'Forgets a selection' })
  forget(@Param('id', ParseUUIDPipe) id: string, @Param('name') name: string): Promise<void> {
    return this.selections.forget(id, name);
  }
}
