import { ArrayUnique, IsArray, IsBoolean, IsIn, IsNumber, IsString, Max, MaxLength, Min } from 'class-validator';
import {
  AMOUNTS,
  FINISHES,
  KINDS,
  LIGHTS,
  SURFACES,
  type Amount,
  type Finish,
  type ObjectKind,
  type PlanAnswers,
  type RoomLight,
  type Surface,
} from '@amber-knit/planning';

/** The plan's answers as they come over HTTP. */
export class PlanBody implements PlanAnswers {
  @IsIn(KINDS) kind: ObjectKind;
  @IsNumber({ allowNaN: false, allowInfinity: false })
  @Min(1)
  @Max(50_000)
  size: number;
  @IsArray() @ArrayUnique() @IsIn(SURFACES, { each: true }) surfaces: Surface[];
  @IsIn(AMOUNTS) shape: Amount;
  @IsIn(AMOUNTS) marks: Amount;
  @IsBoolean() still: boolean;
  @IsBoolean() mayTouch: boolean;
  @IsIn(LIGHTS) light: RoomLight;
  @IsIn(FINISHES) finish: Finish;
  @IsString() @MaxLength(80) deviceId: string;
}
