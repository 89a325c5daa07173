import type { GuideAnswers } from '@amber-knit/contracts';
import { Card, Question } from '../../shared/answer-card';
import { GuideDrawing } from '../../shared/answer-drawings';
import { GUIDE_WORDS } from './guide-words';

/** The questions before a guided run, each with a drawing and what it changes. */
export function GuideQuestions({
  answers,
  onAnswer,
}: {
  answers: GuideAnswers;
  onAnswer(change: Partial<GuideAnswers>): void;
}) {
  return (
    <div className="grid gap-x-6 gap-y-3 lg:grid-cols-2">
      {GUIDE_WORDS.map(({ question, title, changes, answers: choices }) => (
        <div key={question} className={question === 'kind' ? 'lg:col-span-2' : ''}>
          <Question title={title} help={changes}>
            <div className="grid auto-rows-fr grid-cols-[repeat(auto-fill,80px)] gap-2">
              {choices.map(([answer, words]) => (
                <Card
                  key={answer}
                  group={question}
                  on={answers[question] === answer}
                  onChoose={() => onAnswer({ [question]: answer })}
                >
                  <GuideDrawing question={question} answer={answer} />
                  <span className="leading-tight">{words}</span>
                </Card>
              ))}
            </div>
          </Question>
        </div>
      ))}
    </div>
  );
}
