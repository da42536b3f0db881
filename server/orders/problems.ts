import type { Knex } from 'knex';
import { subjectsOf, occasionOf, type Act, type Who } from '../../core/orders/order.ts';
import { problemsOf } from '../../core/selection/explain.ts';
import type { OrderTold } from '../../contract/index.ts';
import { selectionCatalogue } from '../selection/catalogue.ts';
import { orderChoices } from './names.ts';

/** What keeps an order from being switched on, in sentences. @param sends whether it may send by itself */
export async function orderProblems(
  db: Knex,
  { told, owner_id }: { told: OrderTold; owner_id: number },
  sends: boolean,
): Promise<string[]> {
  const [choices, catalogue] = await Promise.all([
    orderChoices(db, owner_id),
    told.selection ? selectionCatalogue(db, owner_id) : [],
  ]);
  const there = new Set(choices.staff.map(({ id }) => id));
  const templates = new Set(choices.templates.map(({ id }) => id));
  const field = (of: string, fact: string) =>
    choices.fields.find((each) => each.of === of && each.fact === fact);
  const { when } = told;
  const occasion = occasionOf(when);
  const served = choices.templates.some((each) => each.occasion !== null && each.occasion === occasion);

  const ofWho = (who: Who) =>
    typeof who === 'number' && !there.has(who)
      ? ['A colleague it names is not here any more. Choose another.']
      : [];
  const ofWording = (id: number | null) => {
    if (id !== null)
      return templates.has(id) ? [] : ['A template it uses is not in the cupboard any more. Choose another.'];
    if (occasion === null) return ['No wording serves that occasion by itself. Choose a template.'];
    return served ? [] : [`No template serves “${occasion}” yet. Choose one, or say so in the cupboard.`];
  };
  const ofAct = (act: Act): string[] => {
    switch (act.do) {
      case 'message':
        return [...ofWording(act.wordingId), ...ofWho(act.by)];
      case 'letter':
        return ofWording(act.wordingId);
      case 'mailing':
        return [
          ...(choices.mailings.some(({ id }) => id === act.mailingId)
            ? []
            : ['A mailing it sends was stopped, or is not there any more. Choose another.']),
          ...(sends ? [] : ['A mailing goes by itself: an office manager has to let this order send first.']),
        ];
      case 'task':
        return ofWho(act.for);
      case 'tell':
        return ofWho(act.who);
      case 'change': {
        if (act.of === 'file' && !knowsFile(told))
          return ['Which file is meant is not known there. Change a field of the client instead.'];
        const known = act.change.what !== 'field' || field(act.of, act.change.key)?.settable;
        return known ? [] : ['A field it sets has been taken away. Choose another.'];
      }
      default:
        return [];
    }
  };
  return [
    ...(told.steps.length ? [] : ['It does nothing yet. Say what is to be done.']),
    ...((when.on === 'becomes' || when.on === 'day') && !field(when.of, when.fact)
      ? ['The field it waits for has been taken away. Choose another.']
      : []),
    ...('mailingId' in when &&
    when.mailingId !== null &&
    !choices.mailings.some(({ id }) => id === when.mailingId)
      ? ['The mailing it waits for is not there any more. Choose another.']
      : []),
    ...(told.selection ? problemsOf(told.selection, catalogue).map(({ words }) => words) : []),
    ...told.steps.flatMap(({ act }) => ofAct(act)),
  ].filter((words, at, all) => all.indexOf(words) === at);
}

/** Whether what happens there is about a file. */
const knowsFile = ({ when }: OrderTold): boolean =>
  subjectsOf(when).includes('file') || when.on.startsWith('fee note');
