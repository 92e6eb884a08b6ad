-- Neovim's own client of the language server protocol, driven without a screen. What it sees goes into a file as JSON.
local python, server, texts, out, path = unpack(vim.split(os.getenv("SCRUB_TEST"), "\n"))
local seen = {}

local function wait(condition)
  return vim.wait(20000, condition, 20)
end

vim.cmd("edit " .. path)
local buffer = vim.api.nvim_get_current_buf()
local id = vim.lsp.start_client({
  name = "scrub",
  cmd = { python, server, texts },
  root_dir = vim.fn.getcwd(),
})
vim.lsp.buf_attach_client(buffer, id)
local client = vim.lsp.get_client_by_id(id)
wait(function() return client.initialized and #vim.diagnostic.get(buffer) > 0 end)

local function problems()
  local found = {}
  for _, each in ipairs(vim.diagnostic.get(buffer)) do
    table.insert(found, { line = each.lnum + 1, column = each.col, message = each.message })
  end
  return found
end

local function request(method, params)
  params.textDocument = vim.lsp.util.make_text_document_params(buffer)
  local answer = client.request_sync(method, params, 20000, buffer)
  return answer and answer.result, answer and answer.err
end

local function lines() return vim.api.nvim_buf_get_lines(buffer, 0, -1, false) end

seen.problems = problems()

-- a broken line, and what could follow
vim.api.nvim_buf_set_lines(buffer, 5, 5, false, { "    hut.h" })
local answer = request("textDocument/completion", { position = { line = 5, character = 9 } })
seen.completion = {}
for _, item in ipairs(answer) do table.insert(seen.completion, item.label) end
vim.api.nvim_buf_set_lines(buffer, 5, 6, false, {})

-- the quick fix of the first problem
local first = seen.problems[1]
local range = { start = { line = first.line - 1, character = 0 }, ["end"] = { line = first.line - 1, character = 1 } }
local actions = request("textDocument/codeAction", { range = range, context = { diagnostics = {} } })
seen.fix = actions[1].title
vim.lsp.util.apply_workspace_edit(actions[1].edit, client.offset_encoding)
wait(function() return #vim.diagnostic.get(buffer) == 0 end)
seen.after_fix = problems()

-- rename, in the hole of a text too, behind letters beyond the 16-bit plane
local renamed, refused = request("textDocument/rename", { position = { line = 4, character = 14 }, newName = "shelter" })
vim.lsp.util.apply_workspace_edit(renamed, client.offset_encoding)
seen.renamed = lines()
_, refused = request("textDocument/rename", { position = { line = 4, character = 14 }, newName = "sheet" })
seen.refused = refused and refused.message

-- layout
vim.lsp.buf.formatting_sync(nil, 20000)
seen.formatted = lines()

local hover = request("textDocument/hover", { position = { line = 4, character = 37 } })
seen.hover = hover.contents.value
seen.tokens = #request("textDocument/semanticTokens/full", {}).data
seen.folds = #request("textDocument/foldingRange", {})
seen.symbols = #request("textDocument/documentSymbol", {})

-- many edits by chance
math.randomseed(tonumber(os.getenv("SCRUB_TEST_SEED") or "7"))
local pieces = { "x", " ", '"', "🏔", "é", "end", "\n", "{hut.name}", "#", "𝄞", "each sheet", "(" }
for _ = 1, 200 do
  local all = lines()
  local line = math.random(#all)
  local text = all[line]
  local length = vim.str_utfindex(text)
  local from = vim.str_byteindex(text, math.random(0, length))
  if math.random() < 0.3 and #all > 4 then
    vim.api.nvim_buf_set_lines(buffer, line - 1, line, false, {})
  elseif math.random() < 0.5 then
    local piece = pieces[math.random(#pieces)]
    vim.api.nvim_buf_set_text(buffer, line - 1, from, line - 1, from, vim.split(piece, "\n"))
  else
    local to = vim.str_byteindex(text, math.min(length, vim.str_utfindex(text, from) + math.random(0, 3)))
    vim.api.nvim_buf_set_text(buffer, line - 1, from, line - 1, to, { "" })
  end
end
request("textDocument/foldingRange", {})
vim.wait(500)
seen.text = table.concat(lines(), "\n") .. "\n"
seen.last_problems = problems()

client.stop()
wait(function() return client.is_stopped() end)
vim.fn.writefile({ vim.fn.json_encode(seen) }, out)
vim.cmd("qa!")
