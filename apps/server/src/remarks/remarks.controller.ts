import { Body, Controller, Delete, Get, HttpCode, Param, ParseUUIDPipe, Patch, Post } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { ArrayMaxSize, ArrayMinSize, IsBoolean, IsNumber, IsUUID } from 'class-validator';
import type { RemarkView } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import { Name, Optional } from '../http/body-rules.js';
import { RemarksService } from './remarks.service.js';

export class NewRemarkBody {
  @ApiProperty({ example: 'The rim is not round here' })
  @Name(2000)
  text: string;

  @ApiPropertyOptional({ type: [Number], description: 'A place of the surface, mm' })
  @Optional()
  @ArrayMinSize(3)
  @ArrayMaxSize(3)
  @IsNumber({ allowNaN: false, allowInfinity: false }, { each: true })
  place?: [number, number, number];

  @ApiPropertyOptional({ description: 'A step that it is about' })
  @Optional()
  @IsUUID()
  stepId?: string;
}

export class DoneBody {
  @ApiProperty()
  @IsBoolean()
  done: boolean;
}

@ApiTags('Remarks')
@Controller('api')
export class RemarksController {
  constructor(private readonly remarks: RemarksService) {}

  @Get('pieces/:id/remarks')
  @Needs('look')
  @ApiOperation({ summary: 'What people said about a piece, oldest first' })
  list(@Param('id', ParseUUIDPipe) id: string): Promise<RemarkView[]> {
    return this.remarks.list(id);
  }

  @Post('pieces/:id/remarks')
  @Needs('measure', 'piece')
  @ApiOperation({ summary: 'Says something about a piece, at a place of its surface or on a step if wanted' })
  add(@Param('id', ParseUUIDPipe) id: string, @Body() body: NewRemarkBody): Promise<RemarkView> {
    return this.remarks.add(id, body);
  }

  @Patch('remarks/:id')
  @Needs('measure', 'remark')
  @ApiOperation({ summary: 'Says that a remark is done, or not after all' })
  setDone(@Param('id', ParseUUIDPipe) id: string, @Body() { done }: DoneBody): Promise<RemarkView> {
    return this.remarks.setDone(id, done);
  }

  @Delete('remarks/:id')
  @Needs('measure', 'remark')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes a remark back' })
  takeBack(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.remarks.takeBack(id);
  }
}
