import { Body, Controller, Get, HttpCode, Param, ParseUUIDPipe, Post } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsInt, IsObject, IsString, IsUUID, Max, MaxLength, Min } from 'class-validator';
import type { Request } from 'express';
import type { Right, StepView } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import { Name, Optional } from '../http/body-rules.js';
import { OPERATION_IDS } from '@amber-knit/operations';
import { rightToRun } from './right-to-run.js';
import { StepsService } from './steps.service.js';

export class NewStepBody {
  @ApiProperty({ example: 'fuse.surface' })
  @IsString()
  @MaxLength(80)
  operationId: string;

  @ApiPropertyOptional({
    description: 'Values of the operation’s own parameters; see GET /api/operations',
    example: { voxel: 0.6 },
  })
  @Optional()
  @IsObject()
  params?: Record<string, unknown>;

  @ApiPropertyOptional({ example: 1 })
  @Optional()
  @IsInt()
  @Min(0)
  @Max(2147483647)
  seed?: number;
}

export class AgainBody {
  @ApiPropertyOptional({ description: 'Parameters that are to be other than before', example: { unit: 'm' } })
  @Optional()
  @IsObject()
  params?: Record<string, unknown>;
}

export class ImportBody {
  @ApiProperty({ description: 'A file that a step made, of this piece or another' })
  @IsUUID()
  artifact: string;

  @ApiPropertyOptional({ example: 'Upright' })
  @Optional()
  @Name(80)
  setup?: string;

  @ApiPropertyOptional({ description: 'What is to be done with it: brought in as scans if nothing else is said' })
  @Optional()
  @IsString()
  operationId?: string;

  @ApiPropertyOptional({ description: 'Parameters of that operation' })
  @Optional()
  @IsObject()
  params?: Record<string, unknown>;
}

const asked = ({ body }: Request): Right => rightToRun((body as Partial<NewStepBody>).operationId);

@ApiTags('Steps')
@Controller('api')
export class StepsController {
  constructor(private readonly steps: StepsService) {}

  @Post('pieces/:id/steps')
  @Needs(asked, 'piece')
  @HttpCode(202)
  @ApiOperation({ summary: 'Queues a run of an operation' })
  enqueue(@Param('id', ParseUUIDPipe) id: string, @Body() body: NewStepBody): Promise<StepView> {
    return this.steps.enqueue(id, body.operationId, body.params ?? {}, body.seed ?? 1);
  }

  @Post('pieces/:id/imports')
  @Needs(asked, 'piece')
  @HttpCode(202)
  @ApiOperation({
    summary: 'Brings in what a step made, in this piece or another: the scans of a file, or a surface as a reference',
  })
  import(@Param('id', ParseUUIDPipe) id: string, @Body() body: ImportBody): Promise<StepView> {
    const { artifact, setup = 'Setup 1', operationId = OPERATION_IDS.captureImport, params = {} } = body;
    return this.steps.importArtifact(id, artifact, setup, operationId, params);
  }

  @Get('pieces/:id/steps')
  @Needs('look')
  @ApiOperation({ summary: 'The ledger: all runs of a piece, oldest first' })
  list(@Param('id', ParseUUIDPipe) id: string): Promise<StepView[]> {
    return this.steps.list(id);
  }

  @Get('steps/:id')
  @Needs('look')
  @ApiOperation({ summary: 'One run' })
  get(@Param('id', ParseUUIDPipe) id: string): Promise<StepView> {
    return this.steps.get(id);
  }

  @Post('steps/:id/again')
  @Needs('work', 'step')
  @HttpCode(202)
  @ApiOperation({ summary: 'Queues a run once more, from the same file, with some parameters changed' })
  again(@Param('id', ParseUUIDPipe) id: string, @Body() body: AgainBody): Promise<StepView> {
    return this.steps.again(id, body.params ?? {});
  }

  @Post('steps/:id/cancel')
  @Needs('work', 'step')
  @HttpCode(202)
  @ApiOperation({ summary: 'Asks a run to stop' })
  cancel(@Param('id', ParseUUIDPipe) id: string): Promise<StepView> {
    return this.steps.cancel(id);
  }
}
