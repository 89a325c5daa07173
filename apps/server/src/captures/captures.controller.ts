import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseIntPipe,
  ParseUUIDPipe,
  Post,
  Put,
  Req,
  StreamableFile,
} from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsBoolean, IsIn, IsInt, IsNumber, IsObject, Max, Min } from 'class-validator';
import { Readable } from 'node:stream';
import type { Request } from 'express';
import type { CaptureHolds, CaptureView, StepView } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import { Name, Optional } from '../http/body-rules.js';
import { CapturesService } from './captures.service.js';

export class BeginCaptureBody {
  @ApiProperty({ example: 'Upright, first round' })
  @Name(80)
  name: string;

  @ApiProperty({ example: 'Upright' })
  @Name(80)
  setup: string;

  @ApiProperty({ example: 'hand-held-light' })
  @Name(80)
  deviceId: string;

  @ApiProperty({ description: 'The device’s settings, for the record' })
  @IsObject()
  settings: Record<string, number>;

  @ApiPropertyOptional({ description: 'Depth frames if absent, or the pictures of a line-laser recording' })
  @Optional()
  @IsIn(['frames', 'pictures'])
  holds?: CaptureHolds;
}

export class TakeBackBody {
  @ApiProperty({ description: 'The first frame number to take back' })
  @IsInt()
  @Min(0)
  @Max(2147483647)
  from: number;
}

export class FinishCaptureBody {
  @ApiPropertyOptional()
  @Optional()
  @IsIn(['remove', 'keep'])
  support?: 'remove' | 'keep';

  @ApiPropertyOptional({ description: 'Place the new scan onto the others by itself' })
  @Optional()
  @IsBoolean()
  place?: boolean;

  @ApiPropertyOptional({ description: 'Spacing of the points, mm; 0 follows the sensor' })
  @Optional()
  @IsNumber()
  @Min(0)
  @Max(20)
  spacing?: number;

  @ApiPropertyOptional({
    description: 'Keep only what lies so near to where the first frame aims, mm; 0 keeps everything',
  })
  @Optional()
  @IsNumber()
  @Min(0)
  @Max(20_000)
  within?: number;

  @ApiPropertyOptional({ description: 'How the pictures of a line-laser recording become points' })
  @Optional()
  @IsObject()
  recording?: Record<string, unknown>;
}

@ApiTags('Captures')
@Controller('api')
export class CapturesController {
  constructor(private readonly captures: CapturesService) {}

  @Post('pieces/:id/captures')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Begins a capture' })
  begin(@Param('id', ParseUUIDPipe) id: string, @Body() body: BeginCaptureBody): Promise<CaptureView> {
    return this.captures.begin(id, { ...body });
  }

  @Get('pieces/:id/captures')
  @Needs('look')
  @ApiOperation({ summary: 'Captures that were begun and not finished' })
  open(@Param('id', ParseUUIDPipe) id: string): Promise<CaptureView[]> {
    return this.captures.open(id);
  }

  @Get('captures/:id')
  @Needs('look')
  @ApiOperation({ summary: 'One capture' })
  view(@Param('id', ParseUUIDPipe) id: string): Promise<CaptureView> {
    return this.captures.view(id);
  }

  @Put('captures/:id/frames/:sequence')
  @Needs('work', 'capture')
  @HttpCode(204)
  @ApiOperation({
    summary: 'Keeps one frame (a stored frame, docs/formats.md) or picture; the same number twice is no fault',
  })
  async keep(
    @Param('id', ParseUUIDPipe) id: string,
    @Param('sequence', ParseIntPipe) sequence: number,
    @Req() request: Request,
  ): Promise<void> {
    await this.captures.keep(id, sequence, request.body as Buffer);
  }

  @Get('captures/:id/frames')
  @Needs('look')
  @ApiOperation({ summary: 'All frames that count, as one capture file; pictures as a zip' })
  async frames(@Param('id', ParseUUIDPipe) id: string): Promise<StreamableFile> {
    await this.captures.view(id);
    return new StreamableFile(Readable.from(this.captures.pack(id)));
  }

  @Post('captures/:id/take-back')
  @Needs('work', 'capture')
  @HttpCode(200)
  @ApiOperation({ summary: 'Takes the newest frames back, from a number on' })
  takeBack(@Param('id', ParseUUIDPipe) id: string, @Body() body: TakeBackBody): Promise<CaptureView> {
    return this.captures.takeBack(id, body.from);
  }

  @Post('captures/:id/finish')
  @Needs('work', 'capture')
  @HttpCode(202)
  @ApiOperation({ summary: 'Ends the capture; a step makes a scan of it' })
  finish(@Param('id', ParseUUIDPipe) id: string, @Body() body: FinishCaptureBody): Promise<StepView> {
    const { place, recording, ...params } = body;
    return this.captures.finish(id, recording ?? params, place ?? false);
  }

  @Delete('captures/:id')
  @Needs('work', 'capture')
  @ApiOperation({ summary: 'Gives the capture up; its frames stay stored' })
  discard(@Param('id', ParseUUIDPipe) id: string): Promise<CaptureView> {
    return this.captures.discard(id);
  }
}
