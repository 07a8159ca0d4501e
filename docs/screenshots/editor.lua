-- An editor for the picture: with a description that has a mistake, and a word that is being typed.
vim.o.number = true
vim.o.completeopt = 'menuone,noinsert,noselect'
vim.o.termguicolors = true
vim.o.signcolumn = 'yes'
vim.diagnostic.config({update_in_insert = true})
vim.cmd('colorscheme slate')
for group, colours in pairs({Normal = {bg = '#14181f', fg = '#d8dee9'}, SignColumn = {bg = '#14181f'}, Pmenu = {bg = '#2d3745', fg = '#d8dee9'}}) do
    vim.api.nvim_set_hl(0, group, colours)
end
vim.cmd('edit apps/apps.score')
local id = vim.lsp.start_client({cmd = {'obbligato', 'language-server'}, root_dir = vim.fn.getcwd()})
vim.lsp.buf_attach_client(0, id)
vim.bo.omnifunc = 'v:lua.vim.lsp.omnifunc'
vim.defer_fn(function()
    vim.api.nvim_buf_set_lines(0, 9, 9, false, {'    optimise speed', '    uses str'})
    vim.api.nvim_win_set_cursor(0, {11, 0})
    vim.defer_fn(function() vim.api.nvim_feedkeys(vim.api.nvim_replace_termcodes('A<C-h><C-h><C-h>s<C-x><C-o>', true, false, true), 'n', false) end, 2500)
end, 1500)
