/* One target in one variant, while it is planned. Only src/plan uses this header.
 *
 * A context lives while its target is planned. Actions that it makes get their numbers at once and belong to
 * the plan; their makers, words and stated inputs are filled in before the next target is planned. */
#ifndef OBB_PLAN_CONTEXT_H
#define OBB_PLAN_CONTEXT_H

#include "plan/plan.h"
#include "toolchain/system.h"

typedef struct obb_plan_context {
    const obb_plan *plan;
    obb_plan *unfinished;           /* the same, where actions are added; NULL: it is complete */
    const obb_plan_variant *in;
    const obb_target *target; /* as it is in the variant */
    obb_flat_settings settings;
    obb_metadata metadata;
    obb_compile_options *shared[OBB_NO_LANGUAGE];
    OBB_VEC(obb_action *) compiles;
    obb_diags *diags;
} obb_plan_context;

/* A new action that makes a file (below the variant's folder). */
obb_action *obb_context_action(obb_plan_context *context, obb_action_kind kind, const char *output);

/* Another file that the action makes. */
void obb_context_also(obb_plan_context *context, obb_action *action, const char *output);

/* Add words to its command, its output among them, and files that it reads. */
/* The name of a file as a word of a command: one that begins like an option, or like a file of words, gets
 * `./` in front. */
void obb_context_file_word(obb_plan_context *context, obb_action *action, const char *path);

void obb_context_word(obb_plan_context *context, obb_action *action, const char *word);
void obb_context_words(obb_plan_context *context, obb_action *action, const obb_words *words);
void obb_context_root_word(obb_plan_context *context, obb_action *action);
void obb_context_output_word(obb_plan_context *context, obb_action *action);
void obb_context_input(obb_plan_context *context, obb_action *action, obb_file file);

/* The command is complete. `tool` NULL: an operation of our own. `more` (or NULL): what else decides what the
 * tool is. */
void obb_context_finish(obb_plan_context *context, obb_action *action, const obb_tool *tool,
                        const obb_fingerprint *more);

/* What `metadata` settings of the target give. */
void obb_context_take_metadata(obb_plan_context *context);

/* Errors for what settings name of the variant and it does not have. */
void obb_context_check_facts(obb_plan_context *context, const obb_flat_settings *settings);

/* The tool, which has been asked what it is; NULL with an error. */
const obb_tool *obb_context_tool(obb_plan_context *context, obb_role role);

/* What commands may leave beside their output: files called like it, with one of these suffixes in place of
 * its own. */
void obb_context_beside(obb_plan_context *context, obb_action *action, const char *suffix,
                        const obb_words *suffixes);

/* Adds files that the words of a command name and no other rule finds. */
void obb_context_named_files(obb_plan_context *context, const obb_tool *tool, const obb_words *words,
                             obb_file_list *files);

/* compiles.c */
void obb_plan_check_sources(obb_plan_context *context);
void obb_plan_compiles(obb_plan_context *context);
/* The path of a linker script once it is preprocessed, by an action of its own. */
const char *obb_plan_script(obb_plan_context *context, const char *script, obb_place place);
void obb_plan_compile(obb_plan_context *context, obb_file source, obb_language language, const char *output);

/* The words of a language without include folders, or of a link, as the settings of the target have them. */
obb_words obb_plan_language_words(obb_plan_context *context, obb_language language);
obb_words obb_plan_link_words(obb_plan_context *context);

/* The words with which a target's first source is compiled, but for those that name the source and the
 * object. */
obb_words obb_plan_compile_words(const obb_plan_context *context, const obb_target *target);

/* links.c */
const char *obb_context_product_path(const obb_plan_context *context, const obb_target *target, bool shared);
obb_action *obb_plan_link(obb_plan_context *context, obb_action_kind kind, const char *output);
obb_action *obb_plan_archive(obb_plan_context *context, const char *output);

/* images.c */
void obb_plan_image(obb_plan_context *context, obb_product *product);
const char *obb_plan_image_path(const obb_plan_context *context, const obb_target *image, const char *format);

/* steps.c */
void obb_plan_step(obb_plan_context *context, obb_product *product);

/* words.c */
/* The files that steps make and this target names or uses, of what it compiles; false: none. */
void obb_context_made_sources(obb_plan_context *context, obb_file_list *sources);
obb_file obb_context_made(obb_plan_context *context, const char *name, obb_place place);

/* texts.c */
void obb_plan_texts(obb_plan *plan, const obb_plan_variant *in, obb_diags *diags);
/* A text that is written before the actions run, below the variant's `gen` folder; `text` is released. */
obb_file obb_plan_add_text(obb_plan *plan, const obb_plan_variant *in, const char *scope, const char *name,
                           obb_text *text);

/* resources.c: the source that holds the resources of the target, which are added to `included`; OBB_NO_FILE:
 * it has none. */
obb_file obb_plan_resources(obb_plan_context *context, obb_file_list *included);

bool obb_has_generated_headers(const obb_project *project, const char *scope);
char *obb_plan_text_folder(const obb_plan *plan, const obb_plan_variant *in, const char *scope);

/* Where files that a target's description names lie when they are made: in the folder of the variant, or in
 * that of its third-party project below it. */
char *obb_context_folder(const obb_plan_context *context, const obb_target *target);

#endif
