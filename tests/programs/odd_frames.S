/* Frames that no convention tells, only their call-frame information does. Each calls innermost(x) and adds one. */
    .text
    .globl odd_pushes, odd_moved_frame, odd_realigned
    .type odd_pushes, @function
odd_pushes:                     /* the stack pointer alone, moved in steps */
    .cfi_startproc
    push %r12
    .cfi_adjust_cfa_offset 8
    .cfi_rel_offset %r12, 0
    push %rdi
    .cfi_adjust_cfa_offset 8
    push %rdi
    .cfi_adjust_cfa_offset 8
    mov %rdi, %r12
    call innermost
    add $8, %rsp
    .cfi_adjust_cfa_offset -8
    pop %rdi
    .cfi_adjust_cfa_offset -8
    inc %rax
    pop %r12
    .cfi_adjust_cfa_offset -8
    .cfi_restore %r12
    ret
    .cfi_endproc
    .size odd_pushes, . - odd_pushes

    .type odd_moved_frame, @function
odd_moved_frame:                /* the frame is told by rbx */
    .cfi_startproc
    push %rbx
    .cfi_adjust_cfa_offset 8
    .cfi_rel_offset %rbx, 0
    mov %rsp, %rbx
    .cfi_def_cfa_register %rbx
    sub $64, %rsp
    call innermost
    mov %rbx, %rsp
    .cfi_def_cfa_register %rsp
    inc %rax
    pop %rbx
    .cfi_adjust_cfa_offset -8
    .cfi_restore %rbx
    ret
    .cfi_endproc
    .size odd_moved_frame, . - odd_moved_frame

    .type odd_realigned, @function
odd_realigned:                  /* realigned to 64 bytes: the old stack pointer lies in memory, and an expression finds it */
    .cfi_startproc
    lea 8(%rsp), %r10
    .cfi_def_cfa %r10, 0
    and $-64, %rsp
    push -8(%r10)
    push %rbp
    mov %rsp, %rbp
    push %r10
    /* DW_CFA_def_cfa_expression, DW_OP_breg6 -8, DW_OP_deref; DW_CFA_expression rbp, DW_OP_breg6 0 */
    .cfi_escape 0x0f, 0x03, 0x76, 0x78, 0x06
    .cfi_escape 0x10, 0x06, 0x02, 0x76, 0x00
    sub $40, %rsp
    call innermost
    inc %rax
    add $40, %rsp
    pop %r10
    .cfi_def_cfa %r10, 0
    pop %rbp
    .cfi_restore %rbp
    lea -8(%r10), %rsp
    .cfi_def_cfa %rsp, 8
    ret
    .cfi_endproc
    .size odd_realigned, . - odd_realigned
    .section .note.GNU-stack, "", @progbits
