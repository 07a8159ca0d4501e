; %include "nowhere.inc"
%include "part-intel.inc"
%ifdef WIDE
%include "nowhere.inc"
%elifdef PART
data: incbin "data/table.bin"
%else
incbin "nowhere.bin"
%endif
%define LEVEL 2
%if LEVEL > 1 && STATED = 3
more: incbin 'data/other.bin', 1
%endif
db "incbin 'x'"
