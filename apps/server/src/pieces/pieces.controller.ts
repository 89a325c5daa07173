import {
  Body,
  Controller,
  Get,
  Header,
  HttpCode,
  NotFoundException,
  Param,
  ParseUUIDPipe,
  Patch,
  Post,
  Query,
  Req,
  Res,
} from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsInt,
  IsObject,
  IsString,
  IsUUID,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from 'class-validator';
import type { Request, Response } from 'express';
import { DataSource } from 'typeorm';
import type { OperationView, PieceSummary, PieceView, SuggestionsView, VersionView } from '@amber-knit/contracts';
import { describeOperation, findOperation, OPERATIONS } from '@amber-knit/operations';
import { Needs } from '../accounts/rights.js';
import { Artifact } from '../database/entities.js';
import { sendStored } from '../http/stored-bytes.js';
import { Name, Optional } from '../http/body-rules.js';
import { BlobStore } from '../storage/blob-store.js';
import { PlanBody } from './plan-body.js';
import { PiecesService } from './pieces.service.js';

export class NewPieceBody {
  @ApiProperty({ example: 'Galley jug' })
  @Name(120)
  name: string;

  @ApiPropertyOptional({ example: 'Glazed stoneware' })
  @Optional()
  @IsString()
  @MaxLength(400)
  note?: string;
}

export class ChangePieceBody {
  @ApiPropertyOptional()
  @Optional()
  @Name(120)
  name?: string;

  @ApiPropertyOptional()
  @Optional()
  @IsString()
  @MaxLength(400)
  note?: string;

  @ApiPropertyOptional({ type: () => PlanBody })
  @Optional()
  @IsObject()
  @ValidateNested()
  @Type(() => PlanBody)
  plan?: PlanBody;
}

export class LabelScansBody {
  @ApiProperty({ description: 'Ids of the scans' })
  @IsUUID('all', { each: true })
  @ArrayNotEmpty()
  @ArrayMaxSize(1000)
  scans: string[];

  @ApiPropertyOptional({ description: 'A new name, for one scan' })
  @Optional()
  @Name(80)
  name?: string;

  @ApiPropertyOptional()
  @Optional()
  @Name(80)
  setup?: string;

  @ApiPropertyOptional({ description: 'Position in the list of colours' })
  @Optional()
  @IsInt()
  @Min(0)
  @Max(7)
  colorIndex?: number;

  @ApiPropertyOptional()
  @Optional()
  @IsString()
  @MaxLength(2000)
  note?: string;
}

export class CopyScansBody {
  @ApiProperty({ description: 'Ids of the scans' })
  @IsUUID('all', { each: true })
  @ArrayNotEmpty()
  @ArrayMaxSize(1000)
  scans: string[];

  @ApiProperty({ description: 'Id of the piece that they are copied to; may be their own' })
  @IsUUID('all')
  to: string;
}

@ApiTags('Pieces')
@Controller('api')
export class PiecesController {
  constructor(
    private readonly pieces: PiecesService,
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  @Get('pieces')
  @Needs('use')
  @ApiOperation({ summary: 'All pieces' })
  list(): Promise<PieceSummary[]> {
    return this.pieces.list();
  }

  @Post('pieces')
  @Needs('begin')
  @ApiOperation({ summary: 'A new, empty piece' })
  create(@Body() body: NewPieceBody): Promise<PieceView> {
    return this.pieces.create(body.name, body.note ?? '');
  }

  @Get('pieces/:id')
  @Needs('look')
  @ApiOperation({ summary: 'A piece with its scans, results and stages' })
  view(@Param('id', ParseUUIDPipe) id: string): Promise<PieceView> {
    return this.pieces.view(id);
  }

  @Patch('pieces/:id')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Renames a piece, or sets its plan' })
  change(@Param('id', ParseUUIDPipe) id: string, @Body() body: ChangePieceBody): Promise<PieceView> {
    return this.pieces.change(id, body);
  }

  @Patch('pieces/:id/scans')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Renames a scan; moves scans to another setup, colours them, notes something about them' })
  label(@Param('id', ParseUUIDPipe) id: string, @Body() { scans, ...label }: LabelScansBody): Promise<PieceView> {
    return this.pieces.label(id, scans, label);
  }

  @Post('pieces/:id/scans/copies')
  @Needs('work', (request) => (request.body as Partial<CopyScansBody>).to)
  @HttpCode(200)
  @ApiOperation({ summary: 'Copies scans with their frames to another piece, or doubles them in this one' })
  copyScans(@Param('id', ParseUUIDPipe) id: string, @Body() { scans, to }: CopyScansBody): Promise<PieceView> {
    return this.pieces.copyScans(id, scans, to);
  }

  @Post('pieces/:id/undo')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Goes back by one step; nothing is deleted' })
  undo(@Param('id', ParseUUIDPipe) id: string): Promise<PieceView> {
    return this.pieces.move(id, 'undo');
  }

  @Post('pieces/:id/redo')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Goes forward again' })
  redo(@Param('id', ParseUUIDPipe) id: string): Promise<PieceView> {
    return this.pieces.move(id, 'redo');
  }

  @Get('pieces/:id/versions')
  @Needs('look')
  @ApiOperation({ summary: 'The states on the way to where the piece stands, and those that can be redone' })
  versions(@Param('id', ParseUUIDPipe) id: string): Promise<VersionView[]> {
    return this.pieces.versions(id);
  }

  @Get('pieces/:id/versions/:state')
  @Needs('look')
  @ApiOperation({ summary: 'The piece as it stood at a version; nothing is changed' })
  at(@Param('id', ParseUUIDPipe) id: string, @Param('state', ParseUUIDPipe) state: string): Promise<PieceView> {
    return this.pieces.at(id, state);
  }

  @Post('pieces/:id/versions/:state')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Goes to a version, back or forward; nothing is deleted' })
  moveTo(@Param('id', ParseUUIDPipe) id: string, @Param('state', ParseUUIDPipe) state: string): Promise<PieceView> {
    return this.pieces.moveTo(id, state);
  }

  @Get('pieces/:id/suggestions')
  @Needs('look')
  @ApiOperation({ summary: 'Suggested parameters of an operation for this piece, and what it demands of the piece' })
  async suggestions(
    @Param('id', ParseUUIDPipe) id: string,
    @Query('operation') operationId: string,
  ): Promise<SuggestionsView> {
    const operation = findOperation(operationId);
    const stats = await this.pieces.stats(id);
    const demands = (stats.surface && operation.demands?.(stats.surface, stats)) ?? [];
    return {
      values: { ...operation.suggest(stats) },
      reasons: { ...operation.because?.(stats) },
      demands: demands.map(({ remedy, ...d }) => ({
        ...d,
        ...(remedy ? { remedy: { operationId: remedy, title: findOperation(remedy).title } } : {}),
      })),
    };
  }

  @Get('operations')
  @Needs('use')
  @Header('Cache-Control', 'no-cache')
  @ApiTags('Operations')
  @ApiOperation({ summary: 'Every operation with its parameters' })
  operations(): OperationView[] {
    return OPERATIONS.map((o) => describeOperation(o));
  }

  @Get('artifacts/:id/data')
  @Needs('look')
  @ApiTags('Artifacts')
  @ApiOperation({ summary: 'The bytes of an artifact, streamed; see docs/formats.md' })
  async data(
    @Param('id', ParseUUIDPipe) id: string,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const artifact = await this.db.manager.findOneBy(Artifact, { id });
    if (!artifact) throw new NotFoundException('There is no such artifact.');
    const { kind, facts, blobSha256: sha256 } = artifact;
    const plain =
      kind === 'placements' || kind === 'dimensions' || kind === 'trust' || kind === 'placings'
        ? 'application/json'
        : 'application/octet-stream';
    const saved = kind === 'file' && facts.name && facts.mediaType !== 'image/png';
    const saveAs = saved ? String(facts.name) : undefined;
    await sendStored(this.blobs, { sha256, type: String(facts.mediaType ?? plain), saveAs }, request, response);
  }
}
