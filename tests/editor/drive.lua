-- Drives a real editor: what it sees of a description, by the protocol. The program is in $OBB.
local function say(...) io.stdout:write(table.concat({...}, ' ') .. '\n') end
vim.cmd('edit obbligato.score')
local buffer = vim.api.nvim_get_current_buf()
local id = vim.lsp.start_client({cmd = {os.getenv('OBB'), 'language-server'}, root_dir = vim.fn.getcwd()})
vim.lsp.buf_attach_client(buffer, id)
local function diagnostics(count)
    vim.wait(5000, function() return #vim.diagnostic.get(buffer) == count end, 20)
    return vim.diagnostic.get(buffer)
end
local function place(line, character)
    return {textDocument = vim.lsp.util.make_text_document_params(), position = {line = line, character = character}, context = {includeDeclaration = true}}
end
local function ask(method, params)
    local answers = vim.lsp.buf_request_sync(buffer, method, params, 5000)
    return answers[id].result
end
for _, d in ipairs(diagnostics(1)) do say('told', d.lnum, d.col, d.end_col, d.message) end
-- Typed, and not saved.
vim.api.nvim_buf_set_lines(buffer, 1, 2, false, {'program  p { sources main.c', 'uses core }'})
say('now', #diagnostics(0))
vim.api.nvim_buf_set_lines(buffer, 3, 3, false, {'test t { uses co'})
for _, item in ipairs(ask('textDocument/completion', place(3, 16)).items) do say('offered', item.label) end
say('shown', ask('textDocument/hover', place(2, 6)).contents.value:match('%*%*.-%*%*'))
say('defined in line', ask('textDocument/definition', place(2, 6))[1].range.start.line)
vim.api.nvim_buf_set_lines(buffer, 3, 4, false, {})
vim.lsp.util.apply_workspace_edit(ask('textDocument/rename', vim.tbl_extend('force', place(2, 6), {newName = 'kernel'})), 'utf-16')
vim.lsp.util.apply_text_edits(ask('textDocument/formatting', vim.lsp.util.make_formatting_params()), buffer, 'utf-16')
for _, line in ipairs(vim.api.nvim_buf_get_lines(buffer, 0, -1, false)) do say('|' .. line) end
for _, s in ipairs(ask('textDocument/documentSymbol', place(0, 0))) do say('outline', s.detail, s.name) end
vim.lsp.stop_client(id)
vim.cmd('qall!')
