import { Body, Controller, Delete, Get, Header, HttpCode, Param, Post, Put, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsString, Length, MaxLength } from 'class-validator';
import type { Request, Response } from 'express';
import type { InvitationPage, SessionView, SignedIn } from '@amber-knit/contracts';
import type { Person } from '../database/entities.js';
import { Name, Optional } from '../http/body-rules.js';
import { currentPerson, currentSession } from './current-person.js';
import { LONGEST_PASSWORD, SHORTEST_PASSWORD } from './passwords.js';
import { PeopleService } from './people.service.js';
import { AccountsMode } from './rights.service.js';
import { Needs } from './rights.js';
import { SessionsService } from './sessions.service.js';
import { cookieTerms, SESSION_COOKIE } from './who-asks.js';

const NewPassword = (): PropertyDecorator =>
  Length(SHORTEST_PASSWORD, LONGEST_PASSWORD, {
    message: `A password has at least ${SHORTEST_PASSWORD} characters; several words make a good one`,
  });

export class SignInBody {
  @ApiProperty()
  @Name(80)
  name: string;

  @ApiProperty()
  @IsString()
  @MaxLength(LONGEST_PASSWORD)
  password: string;
}

export class ChangePasswordBody {
  @ApiProperty()
  @IsString()
  @MaxLength(LONGEST_PASSWORD)
  old: string;

  @ApiProperty()
  @IsString()
  @NewPassword()
  password: string;
}

export class AcceptBody {
  @ApiPropertyOptional({ description: 'How they want to be called; not for whoever chooses a new password' })
  @Optional()
  @Name(80)
  name?: string;

  @ApiProperty()
  @IsString()
  @NewPassword()
  password: string;
}

/** Coming in and going out. */
@ApiTags('Accounts')
@Controller('api')
export class SessionController {
  constructor(
    private readonly people: PeopleService,
    private readonly sessions: SessionsService,
    private readonly mode: AccountsMode,
  ) {}

  @Get('session')
  @Needs('open')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'Who is signed in, and whether anybody is asked' })
  session(): SessionView {
    return { accounts: this.mode.on, person: currentPerson() ?? null };
  }

  @Post('session')
  @Needs('open')
  @HttpCode(200)
  @ApiOperation({ summary: 'Signs in' })
  async signIn(
    @Body() { name, password }: SignInBody,
    @Req() request: Request,
    @Res({ passthrough: true }) response: Response,
  ): Promise<SessionView> {
    const person = await this.people.known(name, password, request.ip ?? '');
    return this.comeIn(person, request, response);
  }

  @Delete('session')
  @Needs('open')
  @HttpCode(204)
  @ApiOperation({ summary: 'Signs out here' })
  async signOut(@Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    const here = currentSession();
    if (here) await this.sessions.close(here);
    response.clearCookie(SESSION_COOKIE, { ...cookieTerms(request), maxAge: undefined });
  }

  @Delete('session/everywhere')
  @Needs('use')
  @HttpCode(204)
  @ApiOperation({ summary: 'Signs out here and everywhere else' })
  async signOutEverywhere(@Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    const person = currentPerson();
    if (person) await this.sessions.closeAll(person.id);
    response.clearCookie(SESSION_COOKIE, { ...cookieTerms(request), maxAge: undefined });
  }

  @Put('session/password')
  @Needs('use')
  @HttpCode(204)
  @ApiOperation({ summary: 'Changes one’s own password; everybody else who came in with the old one is out' })
  async changePassword(@Body() { old, password }: ChangePasswordBody): Promise<void> {
    const person = currentPerson();
    if (person) await this.people.changePassword(person.id, old, password, currentSession());
  }

  @Get('invitations/:token')
  @Needs('open')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({ summary: 'What an invitation is for; 404 if it is wrong, used or has ended' })
  invitation(@Param('token') token: string): Promise<InvitationPage> {
    return this.people.opened(token);
  }

  @Post('invitations/:token')
  @Needs('open')
  @HttpCode(200)
  @ApiOperation({ summary: 'Takes an invitation: makes the account, or sets the password, and signs in' })
  async accept(
    @Param('token') token: string,
    @Body() { name = '', password }: AcceptBody,
    @Req() request: Request,
    @Res({ passthrough: true }) response: Response,
  ): Promise<SessionView> {
    return this.comeIn(await this.people.accept(token, name, password), request, response);
  }

  private async comeIn(person: Person, request: Request, response: Response): Promise<SessionView> {
    response.cookie(SESSION_COOKIE, await this.sessions.open(person.id), cookieTerms(request));
    const { id, name, role } = person;
    return { accounts: this.mode.on, person: { id, name, role } satisfies SignedIn };
  }
}
