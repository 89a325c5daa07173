import { applyDecorators } from '@nestjs/common';
import { Transform } from 'class-transformer';
import { IsString, Length, ValidateIf } from 'class-validator';

/** May be left out; `null` is no way of leaving it out. */
export const Optional = (): PropertyDecorator => ValidateIf((_body, value) => value !== undefined);

/** A name of something. Blanks at either end mean nothing, and nothing but blanks is no name. */
export const Name = (longest: number): PropertyDecorator =>
  applyDecorators(
    Transform(({ value }: { value: unknown }) => (typeof value === 'string' ? value.trim() : value)),
    IsString(),
    Length(1, longest),
  );
