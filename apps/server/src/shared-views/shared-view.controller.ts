import { Body, Controller, Delete, Get, HttpCode, Param, ParseUUIDPipe, Patch, Post } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import {
  ArrayMaxSize,
  ArrayUnique,
  IsBoolean,
  IsIn,
  IsISO8601,
  IsString,
  IsUUID,
  MaxLength,
  ValidateIf,
} from 'class-validator';
import { SHARED_LOOKS, type SharedLook, type SharedView } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import { Name, Optional } from '../http/body-rules.js';
import { SharedViewService } from './shared-view.service.js';

export class SharedViewBody {
  @ApiProperty({ example: 'For the owner of the ferry' })
  @Name(120)
  name: string;

  @ApiProperty({ description: 'What the page says below the name of the piece' })
  @IsString()
  @MaxLength(2000)
  note: string;

  @ApiProperty({ enum: SHARED_LOOKS, isArray: true })
  @IsIn(SHARED_LOOKS, { each: true })
  @ArrayUnique()
  @ArrayMaxSize(SHARED_LOOKS.length)
  looks: SharedLook[];

  @ApiProperty()
  @IsBoolean()
  measuring: boolean;

  @ApiProperty()
  @IsBoolean()
  dimensions: boolean;

  @ApiProperty({ description: 'Ids of delivered files that may be downloaded' })
  @IsUUID('all', { each: true })
  @ArrayUnique()
  @ArrayMaxSize(20)
  files: string[];

  @ApiProperty({ nullable: true, description: 'When the link ends' })
  @ValidateIf((_body, value) => value !== null)
  @IsISO8601({ strict: true })
  endsAt: string | null;

  @ApiPropertyOptional({ description: 'A password that the page asks for; empty: none' })
  @Optional()
  @IsString()
  @MaxLength(200)
  password?: string;
}

/** What the owner of a piece does with its links. */
@ApiTags('Shared views')
@Controller('api')
export class SharedViewController {
  constructor(private readonly views: SharedViewService) {}

  @Get('pieces/:id/shared-views')
  @Needs('look')
  @ApiOperation({ summary: 'Links under which a piece can be looked at' })
  list(@Param('id', ParseUUIDPipe) id: string): Promise<SharedView[]> {
    return this.views.list(id);
  }

  @Post('pieces/:id/shared-views')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'A new link, to the piece as it stands now' })
  share(@Param('id', ParseUUIDPipe) id: string, @Body() { password, ...terms }: SharedViewBody): Promise<SharedView> {
    return this.views.share(id, terms, password);
  }

  @Patch('shared-views/:id')
  @Needs('work', 'shared_view')
  @ApiOperation({ summary: 'Changes what a link allows' })
  change(@Param('id', ParseUUIDPipe) id: string, @Body() { password, ...terms }: SharedViewBody): Promise<SharedView> {
    return this.views.change(id, terms, password);
  }

  @Post('shared-views/:id/now')
  @Needs('work', 'shared_view')
  @HttpCode(200)
  @ApiOperation({ summary: 'Shows the piece as it stands now under the same link' })
  now(@Param('id', ParseUUIDPipe) id: string): Promise<SharedView> {
    return this.views.bringUpToDate(id);
  }

  @Delete('shared-views/:id')
  @Needs('work', 'shared_view')
  @HttpCode(204)
  @ApiOperation({ summary: 'Ends a link' })
  end(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.views.end(id);
  }
}
