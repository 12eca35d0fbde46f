/** How a text of the document is read. */
export type TextKind =
  | 'expression'
  | 'statements'
  | 'physics'
  /** Whole classes, one or more. */
  | 'classes'
  | 'relation'
  | 'path'
  | 'message-path'
  | 'chart-path'
  | 'state-path'
  /** The name of a message, with the arguments it brings. */
  | 'message'
  /** The name of a procedure that is called. */
  | 'procedure'
  /** A quantity of a procedure that a call gives a value, written as `name of procedure`. */
  | 'argument';
