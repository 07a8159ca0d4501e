/* `only` for many targets: in front of the statements of a file it holds for all of its targets, and with a
 * block for those in the block. Before anything is given a meaning, each of these targets gets the statement
 * as its own. Later stages know nothing of it. */
#include <string.h>

#include "project/read/reader.h"

static bool says_only(const obb_statement *s)
{
    return !s->words.at[0].quoted && strcmp(s->words.at[0].text, "only") == 0;
}

/* The condition without the block that it may have. */
static obb_statement *condition_of(obb_reader *r, const obb_statement *only)
{
    obb_statement *condition = obb_arena_alloc(r->arena, sizeof *condition);
    condition->words = only->words;
    return condition;
}

static void add_condition(obb_reader *r, const obb_statement *target, obb_statement *condition)
{
    if (target->block) /* else its shape is wrong, and told later */
        obb_arena_push(r->arena, &target->block->list, condition);
}

static void open_block(obb_reader *r, const obb_statement *only, obb_block *into)
{
    for (size_t i = 0; i < only->block->list.count; i++) {
        obb_statement *s = only->block->list.at[i];
        if (obb_states_target(s)) {
            add_condition(r, s, condition_of(r, only));
            obb_arena_push(r->arena, &into->list, s);
            continue;
        }
        obb_diag *d = obb_reader_fault(r, s->words.at[0].place, "`%s` cannot stand in a block of `only`",
                                       s->words.at[0].text);
        obb_hint(r->diags, d, "targets stand there: program, library, image, step, test");
    }
}

void obb_spread_only(obb_reader *r, obb_block *top)
{
    obb_block spread = {.open = top->open};
    for (size_t i = 0; i < top->list.count; i++) {
        obb_statement *s = top->list.at[i];
        if (!says_only(s))
            obb_arena_push(r->arena, &spread.list, s);
        else if (s->words.count < 2)
            obb_reader_fault(r, s->words.at[0].place, "`%s` needs a value", s->words.at[0].text);
        else if (s->block)
            open_block(r, s, &spread);
    }
    for (size_t i = 0; i < top->list.count; i++)
        for (size_t k = 0; says_only(top->list.at[i]) && !top->list.at[i]->block && k < spread.list.count;
             k++)
            if (obb_states_target(spread.list.at[k]) && top->list.at[i]->words.count > 1)
                add_condition(r, spread.list.at[k], condition_of(r, top->list.at[i]));
    *top = spread;
}
