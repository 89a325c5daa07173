import { Body, Controller, Get, HttpCode, Param, ParseUUIDPipe, Post, Put } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { IsIn, IsObject, IsString, MaxLength } from 'class-validator';
import type { GuidedState } from '@amber-knit/contracts';
import { GUIDE_QUESTIONS, type GuideAnswers } from '@amber-knit/planning';
import { RECIPES, type MadeRecipe, type Recipe } from '@amber-knit/recipes';
import { Needs } from '../accounts/rights.js';
import { GuidedService } from './guided.service.js';

/** Answers of a guided run as they come over HTTP. */
export class GuideBody implements GuideAnswers {
  @ApiProperty({ enum: GUIDE_QUESTIONS.kind }) @IsIn(GUIDE_QUESTIONS.kind) kind: GuideAnswers['kind'];
  @ApiProperty({ enum: GUIDE_QUESTIONS.finish }) @IsIn(GUIDE_QUESTIONS.finish) finish: GuideAnswers['finish'];
  @ApiProperty({ enum: GUIDE_QUESTIONS.fineness }) @IsIn(GUIDE_QUESTIONS.fineness) fineness: GuideAnswers['fineness'];
  @ApiProperty({ enum: GUIDE_QUESTIONS.support }) @IsIn(GUIDE_QUESTIONS.support) support: GuideAnswers['support'];
  @ApiProperty({ enum: GUIDE_QUESTIONS.others }) @IsIn(GUIDE_QUESTIONS.others) others: GuideAnswers['others'];
  @ApiProperty({ enum: GUIDE_QUESTIONS.openings }) @IsIn(GUIDE_QUESTIONS.openings) openings: GuideAnswers['openings'];
}

export class DecisionBody {
  @ApiProperty({ description: 'Key of the stop', example: 'support@12' })
  @IsString()
  @MaxLength(10_000)
  stop: string;

  @ApiProperty({ description: 'One of its choices, or `later`', example: 'right' })
  @IsString()
  @MaxLength(80)
  choice: string;
}

export class RecipeBody {
  @ApiProperty({ description: 'A recipe, see docs/formats.md' })
  @IsObject()
  recipe: Record<string, unknown>;
}

@ApiTags('Guided run')
@Controller('api')
export class RecipesController {
  constructor(private readonly guided: GuidedService) {}

  @Get('recipes')
  @Needs('use')
  @ApiOperation({ summary: 'The recipes that come with the program' })
  shipped(): Recipe[] {
    return RECIPES;
  }

  @Get('pieces/:id/recipe')
  @Needs('look')
  @ApiOperation({ summary: 'What was done to a piece, as a recipe for others' })
  made(@Param('id', ParseUUIDPipe) id: string): Promise<MadeRecipe> {
    return this.guided.recipe(id);
  }
}

@ApiTags('Guided run')
@Controller('api/pieces/:id/guided')
export class GuidedController {
  constructor(private readonly guided: GuidedService) {}

  @Get()
  @Needs('look')
  @ApiOperation({ summary: 'Where the guided run of a piece stands' })
  view(@Param('id', ParseUUIDPipe) id: string): Promise<GuidedState> {
    return this.guided.view(id);
  }

  @Put()
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Starts a guided run, or answers anew: what the answers touch is done again' })
  answer(@Param('id', ParseUUIDPipe) id: string, @Body() answers: GuideBody): Promise<GuidedState> {
    return this.guided.answer(id, { ...answers });
  }

  @Put('recipe')
  @Needs('work', 'piece')
  @ApiOperation({ summary: 'Runs a recipe on the piece; a person is asked at the same places' })
  follow(@Param('id', ParseUUIDPipe) id: string, @Body() { recipe }: RecipeBody): Promise<GuidedState> {
    return this.guided.follow(id, recipe);
  }

  @Post('decisions')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Decides a stop, or leaves it for later' })
  decide(@Param('id', ParseUUIDPipe) id: string, @Body() { stop, choice }: DecisionBody): Promise<GuidedState> {
    return this.guided.decide(id, stop, choice);
  }

  @Post('pause')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Asks for no further step; one that runs goes on' })
  pause(@Param('id', ParseUUIDPipe) id: string): Promise<GuidedState> {
    return this.guided.pause(id, true);
  }

  @Post('go-on')
  @Needs('work', 'piece')
  @HttpCode(200)
  @ApiOperation({ summary: 'Goes on from how the piece stands' })
  goOn(@Param('id', ParseUUIDPipe) id: string): Promise<GuidedState> {
    return this.guided.pause(id, false);
  }
}
