import { Body, Controller, Delete, Get, HttpCode, Param, ParseUUIDPipe, Patch, Post, Put } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsBoolean, IsIn, IsUUID, ValidateIf } from 'class-validator';
import {
  ROLES,
  type InvitationView,
  type NewInvitation,
  type PersonName,
  type PersonView,
  type Role,
} from '@amber-knit/contracts';
import { Optional } from '../http/body-rules.js';
import { PeopleService } from './people.service.js';
import { Needs } from './rights.js';

export class ChangePersonBody {
  @ApiPropertyOptional({ enum: ROLES })
  @Optional()
  @IsIn(ROLES)
  role?: Role;

  @ApiPropertyOptional({ description: 'May no longer come in; false opens the account again' })
  @Optional()
  @IsBoolean()
  ended?: boolean;
}

export class InviteBody {
  @ApiProperty({ enum: ROLES })
  @IsIn(ROLES)
  role: Role;

  @ApiPropertyOptional({ description: 'Who is to choose a new password; left out: somebody new' })
  @Optional()
  @IsUUID()
  person?: string;
}

export class OwnerBody {
  @ApiProperty({ type: String, nullable: true, description: 'Id of a person; null: the workshop' })
  @ValidateIf((_body, value) => value !== null)
  @IsUUID()
  owner: string | null;
}

/** Who may come in, and whose pieces are whose. */
@ApiTags('Accounts')
@Controller('api')
export class PeopleController {
  constructor(private readonly people: PeopleService) {}

  @Get('people')
  @Needs('manage')
  @ApiOperation({ summary: 'Everybody with an account' })
  list(): Promise<PersonView[]> {
    return this.people.list();
  }

  @Get('people/names')
  @Needs('use')
  @ApiOperation({ summary: 'Who a piece can be given to' })
  async names(): Promise<PersonName[]> {
    const people = await this.people.list();
    return people.filter((p) => !p.ended && p.role !== 'reviewer').map(({ id, name }) => ({ id, name }));
  }

  @Patch('people/:id')
  @Needs('manage')
  @HttpCode(204)
  @ApiOperation({ summary: 'Gives another role, ends an account or opens it again' })
  change(@Param('id', ParseUUIDPipe) id: string, @Body() body: ChangePersonBody): Promise<void> {
    return this.people.change(id, body);
  }

  @Get('invitations')
  @Needs('manage')
  @ApiOperation({ summary: 'Invitations that can still be taken' })
  invitations(): Promise<InvitationView[]> {
    return this.people.invitations();
  }

  @Post('invitations')
  @Needs('manage')
  @ApiOperation({ summary: 'A link for somebody new, or for a new password; it is told this once' })
  invite(@Body() { role, person }: InviteBody): Promise<NewInvitation> {
    return this.people.invite(role, person);
  }

  @Delete('invitations/:id')
  @Needs('manage')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes an invitation back' })
  takeBack(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.people.takeBack(id);
  }

  @Put('pieces/:id/owner')
  @Needs('work', 'piece')
  @HttpCode(204)
  @ApiOperation({ summary: 'Gives a piece to a person, who alone then changes it, or to the workshop' })
  giveTo(@Param('id', ParseUUIDPipe) id: string, @Body() { owner }: OwnerBody): Promise<void> {
    return this.people.giveTo(id, owner);
  }
}
