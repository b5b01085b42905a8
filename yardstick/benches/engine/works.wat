;; The work of `works.rs` once more, in the code format of the interpreter that is the second reference. Each routine
;; does so many rounds and gives back what shows that they were done.
(module
  (memory (export "memory") 1)
  (global $seed (mut i32) (i32.const 0))
  (data (i32.const 8192)
    "Wagon 17 with grain for Ostheim, 2 axles, brakes checked; coupled behind no. 4 on track 11 at dawn.\00")

  ;; Sixteen wagons at 0, two bytes each.
  (func $fill
    (local $at i32)
    (loop $next
      (global.set $seed
        (i32.and
          (i32.add (i32.mul (global.get $seed) (i32.const 40503)) (i32.const 12345))
          (i32.const 0xFFFF)))
      (i32.store16 (local.get $at) (global.get $seed))
      (br_if $next
        (i32.ne (local.tee $at (i32.add (local.get $at) (i32.const 2))) (i32.const 32)))))

  (func $insert (param $at i32)
    (local $weight i32) (local $before i32)
    (local.set $weight (i32.load16_u (local.get $at)))
    (block $placed
      (loop $shift
        (br_if $placed (i32.eqz (local.get $at)))
        (local.set $before (i32.load16_u (i32.sub (local.get $at) (i32.const 2))))
        (br_if $placed (i32.le_u (local.get $before) (local.get $weight)))
        (i32.store16 (local.get $at) (local.get $before))
        (local.set $at (i32.sub (local.get $at) (i32.const 2)))
        (br $shift)))
    (i32.store16 (local.get $at) (local.get $weight)))

  (func (export "sort") (param $rounds i32) (result i32)
    (local $at i32)
    (global.set $seed (i32.const 0))
    (loop $again
      (call $fill)
      (local.set $at (i32.const 2))
      (loop $next
        (call $insert (local.get $at))
        (br_if $next
          (i32.ne (local.tee $at (i32.add (local.get $at) (i32.const 2))) (i32.const 32))))
      (br_if $again (local.tee $rounds (i32.sub (local.get $rounds) (i32.const 1)))))
    (global.get $seed))

  ;; Two thousand words at 1,024.
  (func (export "memory of words") (param $rounds i32) (result i32)
    (local $raise i32) (local $at i32) (local $word i32) (local $sum i32)
    (memory.fill (i32.const 1024) (i32.const 0) (i32.const 4000))
    (loop $again
      (local.set $at (i32.const 1024))
      (local.set $sum (i32.const 0))
      (loop $next
        (i32.store16 (local.get $at)
          (local.tee $word (i32.add (i32.load16_u (local.get $at)) (local.get $raise))))
        (local.set $sum (i32.add (local.get $sum) (local.get $word)))
        (br_if $next
          (i32.ne (local.tee $at (i32.add (local.get $at) (i32.const 2))) (i32.const 5024))))
      (i32.store16 (i32.const 1024) (local.get $sum))
      (local.set $raise (i32.add (local.get $raise) (i32.const 1)))
      (br_if $again (local.tee $rounds (i32.sub (local.get $rounds) (i32.const 1)))))
    (i32.and (local.get $sum) (i32.const 0xFFFF)))

  (func $leaves (param $of i32) (result i32)
    (if (result i32) (i32.lt_u (local.get $of) (i32.const 2))
      (then (local.get $of))
      (else
        (i32.add
          (call $leaves (i32.sub (local.get $of) (i32.const 1)))
          (call $leaves (i32.sub (local.get $of) (i32.const 2)))))))

  (func (export "calls") (param $rounds i32) (result i32)
    (local $all i32)
    (loop $again
      (local.set $all (i32.add (local.get $all) (call $leaves (i32.const 16))))
      (br_if $again (local.tee $rounds (i32.sub (local.get $rounds) (i32.const 1)))))
    (i32.and (local.get $all) (i32.const 0xFFFF)))

  ;; The text is at 8,192, its copy at 9,216.
  (func (export "bytes") (param $rounds i32) (result i32)
    (local $from i32) (local $sign i32) (local $all i32) (local $large i32)
    (loop $again
      (local.set $from (i32.const 8192))
      (local.set $large (i32.const 0))
      (block $end
        (loop $next
          (br_if $end (i32.eqz (local.tee $sign (i32.load8_u (local.get $from)))))
          (block $same
            (br_if $same (i32.lt_u (local.get $sign) (i32.const 97)))
            (br_if $same (i32.gt_u (local.get $sign) (i32.const 122)))
            (local.set $sign (i32.sub (local.get $sign) (i32.const 32)))
            (local.set $large (i32.add (local.get $large) (i32.const 1))))
          (i32.store8 offset=1024 (local.get $from) (local.get $sign))
          (local.set $from (i32.add (local.get $from) (i32.const 1)))
          (br $next)))
      (i32.store8 offset=1024 (local.get $from) (i32.const 0))
      (local.set $all (i32.add (local.get $all) (local.get $large)))
      (br_if $again (local.tee $rounds (i32.sub (local.get $rounds) (i32.const 1)))))
    (i32.and (local.get $all) (i32.const 0xFFFF)))

  ;; Five hundred words of four bytes at 16,384.
  (func $raise (param $by i32) (result i32)
    (local $at i32) (local $word i32) (local $sum i32)
    (local.set $at (i32.const 16384))
    (loop $next
      (i32.store (local.get $at)
        (local.tee $word (i32.add (i32.load (local.get $at)) (local.get $by))))
      (local.set $sum (i32.add (local.get $sum) (local.get $word)))
      (br_if $next
        (i32.ne (local.tee $at (i32.add (local.get $at) (i32.const 4))) (i32.const 18384))))
    (local.get $sum))

  (func $check (result i32)
    (local $at i32) (local $low i32) (local $high i32)
    (local.set $at (i32.const 16384))
    (local.set $low (i32.const 1))
    (loop $next
      (local.set $low (i32.add (local.get $low) (i32.load8_u (local.get $at))))
      (if (i32.ge_u (local.get $low) (i32.const 65521))
        (then (local.set $low (i32.sub (local.get $low) (i32.const 65521)))))
      (local.set $high (i32.add (local.get $high) (local.get $low)))
      (if (i32.ge_u (local.get $high) (i32.const 65521))
        (then (local.set $high (i32.sub (local.get $high) (i32.const 65521)))))
      (br_if $next
        (i32.ne (local.tee $at (i32.add (local.get $at) (i32.const 1))) (i32.const 18384))))
    (i32.or (i32.shl (local.get $high) (i32.const 16)) (local.get $low)))

  (func (export "sums") (param $rounds i32) (result i32)
    (local $by i32) (local $sum i32)
    (memory.fill (i32.const 16384) (i32.const 0) (i32.const 2000))
    (loop $again
      (local.set $sum (i32.xor (call $raise (local.get $by)) (call $check)))
      (local.set $by (i32.add (local.get $by) (i32.const 1)))
      (br_if $again (local.tee $rounds (i32.sub (local.get $rounds) (i32.const 1)))))
    (local.get $sum)))
