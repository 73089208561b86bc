vim.cmd("luafile " .. os.getenv("SETTINGS"))
vim.cmd("edit boats.asm")
local function say(text) io.stdout:write(text .. "\n") end
local function wait(what) return vim.wait(10000, what, 20) end
say("mistakes " .. tostring(wait(function() return #vim.diagnostic.get(0) > 0 end)))
for _, one in ipairs(vim.diagnostic.get(0)) do say(one.lnum .. ": " .. one.message:gsub("\n.*", "")) end
local function ask(method, params)
  local all = vim.lsp.buf_request_sync(0, method, params, 10000) or {}
  for _, one in pairs(all) do return one.result end
end
vim.api.nvim_win_set_cursor(0, { 3, 14 })
local place = vim.lsp.util.make_position_params()
local range = vim.lsp.util.make_range_params()
range.context = { diagnostics = {} }
local actions = ask("textDocument/codeAction", range)
say("action " .. actions[1].title)
vim.lsp.util.apply_workspace_edit(actions[1].edit, "utf-16")
say("line " .. vim.api.nvim_buf_get_lines(0, 2, 3, false)[1])
say("mended " .. tostring(wait(function() return #vim.diagnostic.get(0) == 0 end)))
place.newName = "klaxon"
vim.lsp.util.apply_workspace_edit(ask("textDocument/rename", place), "utf-16")
say("renamed " .. table.concat({ vim.api.nvim_buf_get_lines(0, 2, 3, false)[1], vim.api.nvim_buf_get_lines(0, 5, 6, false)[1] }, "|"))
local edits = ask("textDocument/formatting", { textDocument = { uri = vim.uri_from_bufnr(0) }, options = { tabSize = 8, insertSpaces = true } })
vim.lsp.util.apply_text_edits(edits, 0, "utf-16")
say("columns " .. vim.api.nvim_buf_get_lines(0, 3, 4, false)[1])
say("hover " .. ask("textDocument/hover", vim.lsp.util.make_position_params()).contents.value:gsub("\n.*", ""))
local uri = vim.uri_from_bufnr(0)
for _, lens in ipairs(ask("textDocument/codeLens", { textDocument = { uri = uri } })) do say("lens " .. lens.command.title) end
local ran = ask("workspace/executeCommand", { command = "plain-byte.run", arguments = { uri } })
say("ran " .. ran.cycles .. ": " .. ran.stop)
vim.cmd("silent edit! plain-byte:///codes/undefined-symbol.md")
say("page " .. vim.api.nvim_buf_get_lines(0, 0, 1, false)[1])
vim.cmd("qa!")
