/* Written by dutiful_gate.declare.native_forms: `make native` writes it anew. */
#ifndef DUTIFUL_FORMS_H
#define DUTIFUL_FORMS_H

#define PLAN_MAGIC 0xd0717f01u
#define PLAN_VERSION 2
#define NO_END 0xffffffffu
#define RECORD_MARK 0xffff0001u

#define FORM_CALL 1
#define FORM_TEXT 2
#define FORM_WHOLE 3
#define FORM_NUMBER 4
#define FORM_TRUTH 5
#define FORM_NULL 6
#define FORM_MOMENT 7
#define FORM_UTC_MOMENT 8
#define FORM_LOCAL_MOMENT 9
#define FORM_DAY 10
#define FORM_UUID 11
#define FORM_EXACT 12
#define FORM_TEXT_FORM 13
#define FORM_CHOICE 14
#define FORM_LIST 15
#define FORM_FIXED 16
#define FORM_DICT 17
#define FORM_UNION 18
#define FORM_TAGGED 19
#define FORM_NULLABLE 20
#define FORM_SEALED 21
#define FORM_RECORD 22
#define FORM_SAME 23
#define FORM_WHOLE_IN_TEXT 24
#define FORM_NUMBER_IN_TEXT 25
#define FORM_TRUTH_IN_TEXT 26

#define FORM_TEST 1
#define FORM_STEP 2
#define FORM_LENGTH 3
#define FORM_LENGTH_BARRED 4
#define FORM_FLOOR 5
#define FORM_CEILING 6
#define FORM_EQUAL 7
#define FORM_ONE_OF 8
#define FORM_STARTS_WITH 9
#define FORM_ENDS_WITH 10
#define FORM_TRIMMED 11
#define FORM_LOWERED 12
#define FORM_UPPERED 13
#define FORM_PATTERN 14
#define FORM_MULTIPLE 15

#define OUT_PLAIN 1
#define OUT_AS_IT_IS 2
#define OUT_TEXT 3
#define OUT_WHOLE 4
#define OUT_NUMBER 5
#define OUT_TRUTH 6
#define OUT_NULL 7
#define OUT_MOMENT 8
#define OUT_LOCAL_MOMENT 9
#define OUT_DAY 10
#define OUT_UUID 11
#define OUT_EXACT 12
#define OUT_CHOICE 13
#define OUT_LIST 14
#define OUT_FIXED 15
#define OUT_DICT 16
#define OUT_UNION 17
#define OUT_NULLABLE 18
#define OUT_RECORD 19
#define OUT_SAME 20

#define FIELD_WITHHELD 1
#define FIELD_BLANK 2
#define FIELD_SHORT 4

#define INTO_LIST 0
#define INTO_TUPLE 1
#define INTO_SET 2
#define INTO_FROZENSET 3
#define INTO_DEQUE 4

#define LACK_REQUIRED 0
#define LACK_DEFAULT 1
#define LACK_FACTORY 2
#define LACK_ABSENT 3

#define BUILT_STORING 0
#define BUILT_CALLING 1
#define BUILT_DICT 2
#define BUILT_TUPLE 3

#define RULE_CALL 0
#define RULE_COMPARE 1

#define CLASS_NULL 1
#define CLASS_TRUTH 2
#define CLASS_WHOLE 4
#define CLASS_FRACTION 8
#define CLASS_TEXT 16
#define CLASS_LIST 32
#define CLASS_RECORD 64

#endif
