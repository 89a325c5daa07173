import { Body, Controller, Delete, Get, HttpCode, Param, ParseUUIDPipe, Put } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { IsIn, ValidateIf } from 'class-validator';
import type { PersonHere, Stage } from '@amber-knit/contracts';
import { STAGES } from '@amber-knit/operations';
import { currentPerson } from '../accounts/current-person.js';
import { Needs } from '../accounts/rights.js';
import { PresenceService } from './presence.service.js';

export class HereBody {
  @ApiProperty({ enum: STAGES, nullable: true, description: 'The stage that they are at; null: at none' })
  @ValidateIf((_body, value) => value !== null)
  @IsIn(STAGES)
  stage: Stage | null;
}

/** Who is at a piece: only known where there are accounts. */
@ApiTags('Accounts')
@Controller('api/pieces/:id/here')
export class PresenceController {
  constructor(private readonly presence: PresenceService) {}

  @Get()
  @Needs('look')
  @ApiOperation({ summary: 'Who has the piece open, and at which stage' })
  list(@Param('id', ParseUUIDPipe) id: string): PersonHere[] {
    return this.presence.list(id);
  }

  @Put()
  @Needs('look')
  @ApiOperation({ summary: 'Says that one has the piece open; to be said again within 45 s' })
  comes(@Param('id', ParseUUIDPipe) id: string, @Body() { stage }: HereBody): PersonHere[] {
    const person = currentPerson();
    if (person) this.presence.comes(id, person, stage);
    return this.presence.list(id);
  }

  @Delete()
  @Needs('look')
  @HttpCode(204)
  @ApiOperation({ summary: 'Says that one has closed it' })
  goes(@Param('id', ParseUUIDPipe) id: string): void {
    const person = currentPerson();
    if (person) this.presence.goes(id, person.id);
  }
}
