"""The grammar of paths and expressions, in the notation of the package `lark`."""

_PATHS_HERE = "\n    // PATHS_OF_A_NOTATION\n"
_RULES = r"""
// One LALR(1) grammar for both languages. The contextual lexer keeps them apart: inside brackets
// only RFC 9535's terminals can follow, outside only SQL's.

// ---- expressions: ISO 9075 -----------------------------------------------------------------

sort_key: expression [SORT_ORDER] [NULLS_ORDER]

?expression: conjunction
    | conjunction (_OR conjunction)+                            -> any_of
?conjunction: negation
    | negation (_AND negation)+                                 -> all_of
?negation: predicate
    | _NOT negation                                             -> negated

?predicate: value
    | value COMPARISON value                                    -> comparison
    | value IS [NOT] (NULL | TRUE | FALSE | UNKNOWN)            -> is_test
    | value [NOT] _IN "(" expression ("," expression)* ")"      -> in_list
    | value [NOT] _IN _LIST "(" named ["," TEXT] ")"            -> in_named_list
    | value [NOT] _IN _PERIOD "(" named ")"                      -> in_period
    | value [NOT] _BETWEEN value _AND value                     -> between
    | value [NOT] _LIKE value [_ESCAPE value]                   -> like
    | value [NOT] _LIKE_REGEX value                             -> like_regex
    | span _OVERLAPS span                                       -> overlaps
?named: TEXT                                                    -> text
    | ASKED                                                     -> asked
span: "(" expression "," expression ")"

?value: sum
    | value "||" sum                                            -> concatenation
?sum: product
    | sum SIGN product                                          -> arithmetic
?product: signed
    | product (STAR | SLASH) signed                             -> arithmetic
?signed: primary
    | SIGN signed                                               -> sign

?primary: "(" expression ")"
    | primary _COLLATE (NAME | HEADING)                         -> collate
    | path
    | call
    | NUMBER                                                    -> number
    | TEXT                                                      -> text
    | (TRUE | FALSE | NULL)                                     -> constant
    | TYPED_TEXT                                                -> typed_text
    | INTERVAL                                                  -> interval
    | CURRENT_DATE                                              -> current_date
    | HEADING                                                   -> heading
    | ASKED                                                     -> asked
    | _CASE [value] when+ [_ELSE expression] _END               -> case
    | _CAST "(" expression _AS NAME ["(" NUMBER ("," NUMBER)* ")"] ")"    -> cast
    | _SUBSTRING "(" value _FROM value [_FOR value] ")"         -> substring
    | _POSITION "(" value _IN value ")"                         -> position
    | _EXTRACT "(" NAME _FROM value ")"                         -> extract
    | _TRIM "(" value ")"                                       -> trim
    | _TRIM "(" TRIM_SIDE value _FROM value ")"                 -> trim_side
    | _TRIM "(" TRIM_SIDE_FROM value ")"                        -> trim_side_from
    | _TRIM "(" value _FROM value ")"                           -> trim_characters
when: _WHEN expression _THEN expression

call: NAME "(" ")"
    | NAME "(" [DISTINCT] expression ("," expression)* ")"
    | NAME "(" STAR ")"                                         -> call_of_star
    | NAME "(" [DISTINCT] expression ("," expression)* ")" _within_group -> ordered_call

_within_group: _WITHIN "(" _ORDER sort_key ")"

// ---- paths: RFC 9535 -----------------------------------------------------------------------

path: ROOT segment*
    | NAME segment*
    | _OPEN selectors "]" segment*                              -> bracketed_path
    // PATHS_OF_A_NOTATION
standard_path: ROOT segment*

segment: DOT_NAME                                               -> child_name
    | DOT_STAR                                                  -> child_wildcard
    | _OPEN selectors "]"                                       -> child
    | DESCENDANT_NAME                                           -> descendant_name
    | DESCENDANT_STAR                                           -> descendant_wildcard
    | _DESCENDANT_OPEN selectors "]"                            -> descendant
selectors: selector ("," selector)*
?selector: QUOTED                                               -> name
    | STAR                                                      -> wildcard
    | INTEGER                                                   -> index
    | [INTEGER] COLON [INTEGER] [COLON [INTEGER]]               -> slice
    | "?" filter                                                -> filter

?filter: filter_and
    | filter_and ("||" filter_and)+                             -> filter_or
?filter_and: basic
    | basic ("&&" basic)+                                       -> filter_and
?basic: "(" filter ")"
    | "!" "(" filter ")"                                        -> filter_not
    | "!" test                                                  -> filter_not
    | test
    | comparable COMPARISON comparable                   -> filter_comparison
test: query
    | filter_call
?comparable: query
    | filter_call
    | filter_literal
query: (ROOT | CURRENT) segment*
filter_call: FUNCTION_OPEN [argument ("," argument)*] ")"
?argument: filter
    | filter_literal
filter_literal: QUOTED                                          -> filter_text
    | JSON_NUMBER                                               -> filter_number
    | JSON_CONSTANT                                             -> filter_constant

// ---- terminals -----------------------------------------------------------------------------

// a letter, _ or what is not ASCII; said by what it is not, since so large a set takes long
NAME: /[^\x00-@\[-\^`{-\x7f][^\x00-\x2f:-@\[-\^`{-\x7f]*/
DOT_NAME: /\.[^\x00-@\[-\^`{-\x7f][^\x00-\x2f:-@\[-\^`{-\x7f]*/
DESCENDANT_NAME: /\.\.[^\x00-@\[-\^`{-\x7f][^\x00-\x2f:-@\[-\^`{-\x7f]*/
DOT_STAR: ".*"
DESCENDANT_STAR: "..*"
_DESCENDANT_OPEN: "..["
_OPEN: "["
ROOT: "$"
CURRENT: "@"
COLON: ":"
QUOTED: /"(?:[^"\\\x00-\x1f]|\\.)*"|'(?:[^'\\\x00-\x1f]|\\.)*'/
INTEGER: /0|-?[1-9][0-9]*/
JSON_NUMBER: /-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?/
JSON_CONSTANT: /true|false|null/
FUNCTION_OPEN: /[a-z][a-z0-9_]*\(/

NUMBER: /(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?/
TEXT: /'(?:[^']|'')*'/
HEADING: /"(?:[^"]|"")*"/
ASKED: /:[A-Za-z_][A-Za-z0-9_]*/
// each language has its own; the actions tell
COMPARISON: "==" | "!=" | "<>" | "<=" | ">=" | "=" | "<" | ">"
SIGN: "+" | "-"
STAR: "*"
SLASH: "/"
CURRENT_DATE.2: /current_date\b/i
TYPED_TEXT.3: /(?:date|time|timestamp)\s*'[^']*'/i
INTERVAL.3: /interval\s*'[^']*'\s*[a-z]+(?:\s+to\s+[a-z]+)?/i
DISTINCT.3: /distinct(?=\s+[\w$\x27":\[])/i
TRIM_SIDE_FROM.4: /(?:leading|trailing|both)\s+from\b/i
TRIM_SIDE.3: /(?:leading|trailing|both)(?=\s+[\x27$\w"])/i
_WITHIN: /within\s+group(?=\s*\()/i
_ORDER: /order\s+by\b/i
SORT_ORDER: /(?:asc|desc)\b/i
NULLS_ORDER: /nulls\s+(?:first|last)\b/i
_OR: /or\b/i
_AND: /and\b/i
_NOT.2: /not\b/i
NOT.2: /not\b/i
IS: /is\b/i
NULL.2: /null\b/i
TRUE.2: /true\b/i
FALSE.2: /false\b/i
UNKNOWN: /unknown\b/i
_IN: /in\b/i
_LIST: /list(?=\s*\()/i
_PERIOD: /period(?=\s*\()/i
_COLLATE: /collate\b/i
_BETWEEN: /between\b/i
_LIKE: /like\b/i
_LIKE_REGEX: /like_regex\b/i
_ESCAPE: /escape\b/i
_OVERLAPS: /overlaps\b/i
_CASE.2: /case\b/i
_WHEN.2: /when\b/i
_THEN: /then\b/i
_ELSE: /else\b/i
_END: /end\b/i
_AS: /as\b/i
_FROM: /from\b/i
_FOR: /for\b/i
_CAST.2: /cast(?=\s*\()/i
_SUBSTRING.2: /substring(?=\s*\()/i
_POSITION.2: /position(?=\s*\()/i
_EXTRACT.2: /extract(?=\s*\()/i
_TRIM.2: /trim(?=\s*\()/i

%ignore /[ \t\r\n]+/
"""


def grammar_with(paths: str = "", rules: str = "") -> str:
    """The grammar, with further ways to write a path and the rules that these need."""
    further = f"\n    {paths.strip()}\n" if paths else "\n"
    return f"{_RULES.replace(_PATHS_HERE, further)}\n{rules}"
