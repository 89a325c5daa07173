import { Controller, Delete, Get, HttpCode, Param, ParseUUIDPipe, Post } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { AwayPiece, PieceRoom } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import { AwayService } from './away.service.js';

@ApiTags('Pieces')
@Controller('api')
export class AwayController {
  constructor(private readonly away: AwayService) {}

  @Get('pieces/:id/room')
  @Needs('look')
  @ApiOperation({ summary: 'Room that a piece takes, and what removing it would give back, bytes' })
  room(@Param('id', ParseUUIDPipe) id: string): Promise<PieceRoom> {
    return this.away.room(id);
  }

  @Post('pieces/:id/forget-undone')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Forgets what was undone on a piece, and gives its room back; scans that came in stay' })
  forget(@Param('id', ParseUUIDPipe) id: string): Promise<PieceRoom> {
    return this.away.forget(id);
  }

  @Delete('pieces/:id')
  @Needs('work', 'piece')
  @HttpCode(204)
  @ApiOperation({ summary: 'Puts a piece away from the shelf; nothing of it is lost' })
  putAway(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.away.putAway(id);
  }

  @Get('away')
  @Needs('use')
  @ApiOperation({ summary: 'Pieces that were put away' })
  list(): Promise<AwayPiece[]> {
    return this.away.list();
  }

  @Post('away/:id/back')
  @Needs('work', 'piece')
  @HttpCode(204)
  @ApiOperation({ summary: 'Puts a piece back on the shelf' })
  putBack(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.away.putBack(id);
  }

  @Delete('away/:id')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Removes a piece that was put away, for good' })
  remove(@Param('id', ParseUUIDPipe) id: string): Promise<PieceRoom> {
    return this.away.remove(id);
  }
}
