import { Body, Controller, Get, Header, HttpCode, Param, ParseIntPipe, Post, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { IsString, MaxLength } from 'class-validator';

import { parseCookie } from 'cookie';
import type { Request, Response } from 'express';
import type { SharedPage } from '@amber-knit/contracts';
import { Needs } from '../accounts/rights.js';
import type { Artifact } from '../database/entities.js';
import { sendStored } from '../http/stored-bytes.js';
import { BlobStore } from '../storage/blob-store.js';
import { SharedViewService } from './shared-view.service.js';

export class PasswordBody {
  @ApiProperty()
  @IsString()
  @MaxLength(200)
  password: string;
}

/** Keeps the key of a view that asked for a password. */
const COOKIE = 'shared-view';
/** Asked for anew each time: a link that has ended shows nothing. */
const CACHE = 'private, no-cache';

/** What whoever holds a link can ask for: this view, and nothing else. */
@ApiTags('Shared views')
@Controller('api/shared/:token')
export class SharedPageController {
  constructor(
    private readonly views: SharedViewService,
    private readonly blobs: BlobStore,
  ) {}

  @Get()
  @Needs('open')
  @Header('Cache-Control', 'no-store')
  @ApiOperation({
    summary: 'What a shared view shows; 401 if it wants a password, 404 if there is none such, or no longer',
  })
  async page(@Param('token') token: string, @Req() request: Request): Promise<SharedPage> {
    return this.views.page(await this.views.open(token, keyOf(request)));
  }

  @Post('open')
  @Needs('open')
  @HttpCode(204)
  @ApiOperation({ summary: 'Gives the password of a shared view' })
  async unlock(
    @Param('token') token: string,
    @Body() { password }: PasswordBody,
    @Res({ passthrough: true }) response: Response,
  ): Promise<void> {
    const key = await this.views.unlock(token, password);
    response.cookie(COOKIE, key, { httpOnly: true, sameSite: 'strict', path: `/api/shared/${token}` });
  }

  @Get('data/:slot')
  @Needs('open')
  @ApiOperation({ summary: 'Bytes of what the view shows: mesh, model, light, picture or dimensions' })
  async data(
    @Param('token') token: string,
    @Param('slot') slot: string,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const view = await this.views.open(token, keyOf(request));
    const plain = slot === 'dimensions' ? 'application/json' : 'application/octet-stream';
    await this.send(await this.views.artifact(view, slot), plain, request, response);
  }

  @Get('files/:at')
  @Needs('open')
  @ApiOperation({ summary: 'One of the files that may be downloaded, by its place in the list' })
  async file(
    @Param('token') token: string,
    @Param('at', ParseIntPipe) at: number,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const artifact = await this.views.file(await this.views.open(token, keyOf(request)), at);
    await this.send(artifact, 'application/octet-stream', request, response, String(artifact.facts.name ?? 'file'));
  }

  private send(
    { blobSha256: sha256, facts }: Artifact,
    plain: string,
    request: Request,
    response: Response,
    saveAs?: string,
  ): Promise<void> {
    const type = String(facts.mediaType ?? plain);
    return sendStored(this.blobs, { sha256, type, saveAs, cache: CACHE }, request, response);
  }
}

const keyOf = (request: Request): string | undefined => parseCookie(request.headers.cookie ?? '')[COOKIE];
