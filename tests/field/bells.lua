-- A peal of four bells: every order, each once, neighbours swap.
local bells, rows = {1, 2, 3, 4}, {}
local function ring() rows[#rows + 1] = table.concat(bells, "") end
ring()
for lead = 1, 3 do
    for change = 1, 8 do
        local first = change % 2 == 1 and 1 or 2
        if change == 8 then
            bells[3], bells[4] = bells[4], bells[3]
        else
            for i = first, 3, 2 do bells[i], bells[i + 1] = bells[i + 1], bells[i] end
        end
        ring()
    end
end
local seen, distinct = {}, 0
for _, row in ipairs(rows) do if not seen[row] then seen[row] = true; distinct = distinct + 1 end end
print(#rows, distinct, rows[1] == rows[#rows], math.floor(2 ^ 40), string.format("%5.2f", 1 / 3))
