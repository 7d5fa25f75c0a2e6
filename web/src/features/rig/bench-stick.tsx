import { useMutation } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { Button, Problem } from '../../ui/elements';

/** For a machine with no system, or to have nothing else run on it: the image of a stick that starts it, with its code on it. */
export function BenchStick({ code }: { code: string }) {
  const make = useMutation({
    mutationFn: async () => {
      const image = (await take(api.POST('/api/stick', { body: { code }, parseAs: 'blob' }))) as unknown as Blob;
      const at = URL.createObjectURL(image);
      const link = document.createElement('a');
      link.href = at;
      link.download = 'zerokeel-stick.img';
      link.click();
      URL.revokeObjectURL(at);
    },
  });
  return (
    <details className="mb-2 text-[13px]" data-stick={make.isSuccess ? 'made' : make.isPending ? 'making' : 'none'}>
      <summary className="cursor-pointer text-soft">The machine has no system, or shall run nothing else</summary>
      <p className="mt-1 text-soft">
        A bench stick starts it into the agent alone and touches none of its disks. Write the image to a stick, put this
        code on it or type it at the machine, and start from it (UEFI, secure boot off).
      </p>
      <Button className="mt-1" disabled={make.isPending} onClick={() => make.mutate()}>
        {make.isPending ? 'Making the image…' : 'Make a bench stick with this code'}
      </Button>
      <Problem error={make.error} />
    </details>
  );
}
