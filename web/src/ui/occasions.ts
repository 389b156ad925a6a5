/** Why a backup is taken by hand. */
export const OCCASIONS = [
  { value: '', label: 'none: the rule of its plan decides how long it stays' },
  { value: 'before_repair', label: 'before a repair' },
  { value: 'before_update', label: 'before an update' },
  { value: 'before_reset', label: 'before a reset' },
  { value: 'before_hand_over', label: 'before handing on' },
  { value: 'other', label: 'something else' },
];

export const occasionWord = (occasion: string): string => OCCASIONS.find((one) => one.value === occasion)?.label ?? occasion;
