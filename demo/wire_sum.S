/* long wire_sum(const unsigned char *text, long length)
   Each letter times its place, from 1, modulo 9973. The place is kept in rbx, which belongs to the caller. */
    .text
    .globl wire_sum
    .type wire_sum, @function
wire_sum:
    .cfi_startproc
    push %rbx
    .cfi_adjust_cfa_offset 8
    .cfi_rel_offset %rbx, 0
    xor %eax, %eax
    xor %ebx, %ebx
next_letter:
    cmp %rsi, %rbx
    jge fold
    movzbl (%rdi,%rbx), %ecx
    inc %rbx
    imul %rbx, %rcx
    add %rcx, %rax
    jmp next_letter
fold:
    xor %edx, %edx
    mov $9973, %ecx
    div %rcx
    mov %rdx, %rax
    pop %rbx
    .cfi_adjust_cfa_offset -8
    .cfi_restore %rbx
    ret
    .cfi_endproc
    .size wire_sum, . - wire_sum
    .section .note.GNU-stack, "", @progbits
